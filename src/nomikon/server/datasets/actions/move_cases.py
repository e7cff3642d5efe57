"""Move cases between working and held-out, as a new dataset version."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.datasets.actions.create_dataset import DatasetError
from nomikon.server.datasets.models import SPLITS, Dataset, DatasetVersion, Entry
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
        entries = list(before.entries.all()) if before else []
        unknown = set(self.revisions) - {e.revision_id for e in entries}
        if unknown or not self.revisions:
            raise DatasetError(
                "some of these cases are not in the dataset any more: reload", field="revisions"
            )
        version = DatasetVersion.objects.create(
            dataset=self.dataset,
            number=before.number + 1,
            columns=before.columns,
            note=f"{len(self.revisions)} cases to {self.split}",
            created_at=self.now,
        )
        chosen = set(self.revisions)
        Entry.objects.bulk_create(
            [
                Entry(
                    dataset_version=version,
                    revision_id=e.revision_id,
                    position=e.position,
                    split=self.split if e.revision_id in chosen else e.split,
                )
                for e in entries
            ],
            batch_size=500,
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
