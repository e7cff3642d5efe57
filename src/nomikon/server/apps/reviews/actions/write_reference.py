"""Write what is right for a case: alone, or as one of two people who do not see each other's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from django.db import transaction

from nomikon.core.cases.forms import read_forms
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.models import ReferenceDraft
from nomikon.server.apps.reviews.references import DIFFERS, REFERENCE, WAITS, alike
from nomikon.server.apps.trials.actions.correct_reference import CorrectReference


@dataclass
class WriteReference:
    """before: the reference that was seen. two: it waits until another person has written it, too."""

    revision: CaseRevision
    before: str | None
    reference: str
    forms: Sequence[str]
    two: bool
    actor: str
    now: datetime

    def execute(self) -> str:
        """What became of it: REFERENCE, WAITS or DIFFERS."""
        if not self.reference.strip():
            raise DatasetError("what is right is empty: write it, or skip", field="reference")
        if not self.two:
            self._make(self.reference, self.forms, "")
            return REFERENCE
        drafts = self._kept()
        if len(drafts) < 2:
            return WAITS
        if not alike(drafts):
            return DIFFERS
        first = drafts[0]
        readers = " and ".join(d.reader for d in drafts)
        self._make(first.text, first.forms, f"written alike by {readers}")
        return REFERENCE

    @transaction.atomic
    def _kept(self) -> list[ReferenceDraft]:
        if self.revision.reference:
            raise DatasetError(
                "this case has a reference meanwhile: look at it again", field="reference"
            )
        ReferenceDraft.objects.update_or_create(
            revision=self.revision,
            reader=self.actor,
            defaults={
                "text": self.reference,
                "forms": read_forms(self.forms, self.reference),
                "settled": False,
                "created_at": self.now,
            },
        )
        write_ledger(
            "reference.drafted",
            self.revision,
            actor=self.actor,
            now=self.now,
            brief=self.revision.case.dataset.brief,
            facts={"case": self.revision.case.number, "text": self.reference[:200]},
        )
        return list(ReferenceDraft.objects.filter(revision=self.revision, settled=False))

    def _make(self, text: str, forms: Sequence[str], reason: str) -> None:
        """The reference, by the one way there is; then nobody has to settle it any more."""
        corrected = CorrectReference(
            self.revision.pk, self.before, text, reason, self.actor, self.now, list(forms)
        )
        # A blank reference is none, and is seen as none.
        if not self.revision.reference:
            corrected = replace(corrected, before=self.revision.reference)
        corrected.execute()
        ReferenceDraft.objects.filter(revision=self.revision).update(settled=True)
