"""A copy of a dataset: its cases as they are now, each of them a case of its own from here on."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.datasets.models import (
    Case,
    CaseRevision,
    Dataset,
    DatasetVersion,
    Entry,
)
from nomikon.server.apps.datasets.names import free_name
from nomikon.server.apps.datasets.versioning import BATCH, newest_version
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.rows import copy_rows, insert_rows, stored_time


@dataclass
class CopyDataset:
    """Its newest version alone is copied, with splits, tags, sources and kinds of columns."""

    dataset: Dataset
    name: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Dataset:
        name = free_name(self.dataset.brief, self.name)
        copy = Dataset.objects.create(brief=self.dataset.brief, name=name, created_at=self.now)
        newest = newest_version(self.dataset)
        DatasetVersion.objects.create(dataset=copy, number=0, created_at=self.now)
        made = DatasetVersion.objects.create(
            dataset=copy,
            number=1,
            columns=newest.columns if newest else [],
            kinds=newest.kinds if newest else {},
            note=f"copied from {self.dataset.name}"[:300],
            created_at=self.now,
        )
        n_cases = self._copied(newest, copy, made) if newest else 0
        write_ledger(
            "dataset.copied",
            copy,
            actor=self.actor,
            now=self.now,
            brief=copy.brief,
            facts={"name": copy.name, "from": self.dataset.name, "cases": n_cases},
        )
        return copy

    def _copied(self, newest: DatasetVersion, copy: Dataset, made: DatasetVersion) -> int:
        """By batches: memory does not grow with the dataset."""
        at, done = stored_time(self.now), 0
        rows = newest.entries.order_by("position").values_list(
            "revision_id", "split", "revision__case__own_id"
        )
        while batch := list(rows[done : done + BATCH]):
            numbers = range(done + 1, done + 1 + len(batch))
            cases = insert_rows(
                Case,
                [
                    {"dataset_id": copy.pk, "number": n, "own_id": own}
                    for n, (_, _, own) in zip(numbers, batch, strict=True)
                ],
            )
            revisions = copy_rows(
                CaseRevision,
                ("case_id", "number", "created_at"),
                [(r, (case, 1, at)) for case, (r, _, _) in zip(cases, batch, strict=True)],
            )
            insert_rows(
                Entry,
                [
                    {
                        "dataset_version_id": made.pk,
                        "revision_id": revision,
                        "split": split,
                        "position": done + i,
                    }
                    for i, (revision, (_, split, _)) in enumerate(
                        zip(revisions, batch, strict=True)
                    )
                ],
            )
            done += len(batch)
        return done
