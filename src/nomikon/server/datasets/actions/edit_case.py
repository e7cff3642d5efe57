"""Change what a case says, as a new revision in a new dataset version; old results keep theirs."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.server.datasets.actions.create_dataset import DatasetError
from nomikon.server.datasets.models import CaseRevision, Dataset
from nomikon.server.datasets.versioning import next_version
from nomikon.server.ledger.write import write_ledger


@dataclass
class EditCase:
    """revision: the one that is shown; refused where a newer one has come meanwhile."""

    dataset: Dataset
    revision: int
    inputs: dict[str, Any]
    reference: str | None
    tags: list[str]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> CaseRevision:
        before = self.dataset.versions.order_by("-number").first()
        entries = list(before.entries.select_related("revision__case")) if before else []
        entry = next((e for e in entries if e.revision_id == self.revision), None)
        if before is None or entry is None:
            raise DatasetError(
                "this case was changed meanwhile: look at it again, then change it",
                field="revision",
            )
        inputs = {k: v for k, v in self.inputs.items() if v is not None}
        if not any(v != "" for v in inputs.values()):
            raise DatasetError("every input of this case is empty", field="inputs")
        old = entry.revision
        tags = [t.strip() for t in self.tags if t.strip()]
        if (old.inputs, old.reference, old.tags) == (inputs, self.reference, tags):
            return old
        made = CaseRevision.objects.create(
            case=old.case,
            number=old.case.revisions.count() + 1,
            inputs=inputs,
            reference=self.reference,
            tags=tags,
            created_at=self.now,
        )
        version = next_version(
            self.dataset,
            [(made.pk if e.pk == entry.pk else e.revision_id, e.split) for e in entries],
            columns=inputs,
            note=f"case {old.case.number} changed",
            now=self.now,
        )
        write_ledger(
            "case.edited",
            version,
            actor=self.actor,
            now=self.now,
            brief=self.dataset.brief,
            facts={"case": old.case.number, "dataset": self.dataset.name},
        )
        return made
