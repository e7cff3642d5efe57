"""Move cases between working and held-out, as a new dataset version."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.datasets.actions.create_dataset import DatasetError
from nomikon.server.datasets.models import SPLITS, Dataset, DatasetVersion
from nomikon.server.datasets.versioning import listed, next_version
from nomikon.server.ledger.write import write_ledger


@dataclass
class MoveCases:
    """revisions: ids of the revisions to move. Older versions, and the trials on them, stay."""

    dataset: Dataset
    revisions: list[int]
    split: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> DatasetVersion:
        if self.split not in SPLITS:
            raise DatasetError(
                f"split is {self.split!r}; allowed are working and held-out", field="split"
            )
        before = self.dataset.versions.order_by("-number").first()
        entries = listed(before)
        chosen = set(self.revisions)
        unknown = chosen - {revision for revision, _ in entries}
        if unknown or not chosen:
            raise DatasetError(
                "some of these cases are not in the dataset any more: reload", field="revisions"
            )
        version = next_version(
            self.dataset,
            [(r, self.split if r in chosen else split) for r, split in entries],
            columns=(),
            note=f"{len(self.revisions)} cases to {self.split}",
            now=self.now,
        )
        write_ledger(
            "cases.moved",
            version,
            actor=self.actor,
            now=self.now,
            brief=self.dataset.brief,
            facts={"cases": len(chosen), "split": self.split},
        )
        return version
