"""Open a dataset for a brief."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.models import Dataset, DatasetVersion
from nomikon.server.apps.datasets.names import free_name
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class CreateDataset:
    """A dataset begins empty, as version 0."""

    brief: Brief
    name: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Dataset:
        dataset = Dataset.objects.create(
            brief=self.brief, name=free_name(self.brief, self.name), created_at=self.now
        )
        DatasetVersion.objects.create(dataset=dataset, number=0, created_at=self.now)
        write_ledger(
            "dataset.created",
            dataset,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"name": dataset.name},
        )
        return dataset
