"""Put a wrong reference right: stored outputs are scored by it, no call is made, nothing is lost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import F

from nomikon.core.cases.forms import read_forms
from nomikon.core.trials import OPEN_STATES, TrialStateError
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import CaseRevision, DatasetVersion, ReferenceCorrection
from nomikon.server.apps.ledger.write import emit, write_ledger
from nomikon.server.apps.trials.changes import changes_of, means_by
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.trials.rescoring import Anew, Wanted, scored_anew, wanted_of


@dataclass(frozen=True)
class Corrected:
    """What a correction did. trials: number, outputs scored anew, each arm's mean before and after."""

    revision: CaseRevision
    trials: list[dict[str, Any]] = field(default_factory=list)


@dataclass
class CorrectReference:
    """reference: what is right, None for none. before: what the person saw, so that two do not cross.

    forms: further right forms of it; None leaves those there are.
    """

    revision: int
    before: str | None
    reference: str | None
    reason: str
    actor: str
    now: datetime
    forms: Sequence[str] | None = None

    def execute(self) -> Corrected:
        while True:
            after = self._wanted()
            # Scored before anything is written: nobody waits for the disk while a slow measure works.
            trials = self._trials()
            means = {t.pk: means_by(t) for t in trials}
            anew = scored_anew(self.revision, after)
            if (stored := self._store(after, anew)) is not None:
                break
        revision, counts = stored
        rows = []
        for trial in Trial.objects.select_related("scorecard").filter(pk__in=counts):
            arms = changes_of(trial, means[trial.pk])
            rows.append({"trial": trial.number, "outputs": counts[trial.pk], "arms": arms})
        return Corrected(revision, rows)

    def _wanted(self) -> Wanted:
        reference = self.reference if self.reference and self.reference.strip() else None
        forms = self.forms
        if forms is None:
            forms = CaseRevision.objects.values_list("forms", flat=True).get(pk=self.revision)
        # Without a reference there are no further forms of it.
        return Wanted(reference, tuple(read_forms(forms, reference)) if reference else ())

    def _trials(self) -> list[Trial]:
        trials = list(
            Trial.objects.filter(arms__outputs__revision=self.revision).distinct().order_by("pk")
        )
        for trial in trials:
            if trial.state in OPEN_STATES:
                raise TrialStateError(
                    f"trial {trial.number} is {trial.state} on this case: correct its reference "
                    "once it has ended"
                )
        return trials

    @transaction.atomic
    def _store(self, after: Wanted, anew: Anew) -> tuple[CaseRevision, dict[int, int]] | None:
        """None where other answers came meanwhile, which are to be scored first."""
        revision = (
            CaseRevision.objects.select_related("case__dataset__brief")
            .filter(pk=self.revision)
            .first()
        )
        if revision is None:
            raise DatasetError("this case is not there any more: reload", field="revision")
        if revision.reference != self.before:
            raise DatasetError(
                "this reference was corrected meanwhile: look at it again", field="reference"
            )
        if after == wanted_of(revision):
            return revision, {}
        if not anew.store():
            return None
        ReferenceCorrection.objects.create(
            revision=revision,
            before=self.before,
            after=after.reference,
            forms_before=revision.forms,
            forms_after=list(after.forms),
            reason=self.reason.strip()[:300],
            corrected_at=self.now,
            corrected_by=self.actor,
        )
        revision.reference, revision.forms = after.reference, list(after.forms)
        revision.save(update_fields=["reference", "forms"])
        # What was worked out from these versions by the former reference is worked out anew.
        DatasetVersion.objects.filter(entries__revision=revision).update(changed=F("changed") + 1)
        counts = anew.counts
        for trial in Trial.objects.filter(pk__in=counts):
            trial.scores_changed += 1
            trial.save(update_fields=["scores_changed"])
            emit(f"trial:{trial.pk}", "rescored", {"reference": revision.pk}, now=self.now)
        write_ledger(
            "reference.corrected",
            revision,
            actor=self.actor,
            now=self.now,
            brief=revision.case.dataset.brief,
            facts={
                "case": revision.case.number,
                "before": (self.before or "")[:200],
                "after": "; ".join([after.reference or "", *after.forms])[:200],
                "reason": self.reason.strip()[:200],
                "outputs": sum(counts.values()),
                "trials": len(counts),
            },
        )
        return revision, counts
