"""Open a place for answers from elsewhere to the cases of a dataset."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.baselines.models import Baseline
from nomikon.server.apps.baselines.names import free_name
from nomikon.server.apps.datasets.models import Dataset
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class MakeBaseline:
    dataset: Dataset
    name: str
    note: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Baseline:
        made = Baseline.objects.create(
            dataset=self.dataset,
            name=free_name(self.dataset.brief_id, self.name),
            note=self.note,
            created_at=self.now,
            created_by=self.actor,
        )
        write_ledger(
            "baseline.created",
            made,
            actor=self.actor,
            now=self.now,
            brief=self.dataset.brief,
            facts={"name": made.name, "dataset": self.dataset.name},
        )
        return made
