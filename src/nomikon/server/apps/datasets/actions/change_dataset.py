"""Rename a dataset, put it away or bring it back."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.datasets.models import Dataset
from nomikon.server.apps.datasets.names import free_name
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class ChangeDataset:
    """name, archived: None where it stays. Trials that ran on it keep it either way."""

    dataset: Dataset
    name: str | None
    archived: bool | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Dataset:
        dataset, before = self.dataset, self.dataset.name
        if self.name is not None:
            dataset.name = free_name(dataset.brief, self.name, own=dataset.pk)
        if self.archived is not None:
            dataset.archived = self.archived
        dataset.save(update_fields=["name", "archived"])
        write_ledger(
            "dataset.changed",
            dataset,
            actor=self.actor,
            now=self.now,
            brief=dataset.brief,
            facts={"name": dataset.name, "before": before, "archived": dataset.archived},
        )
        return dataset
