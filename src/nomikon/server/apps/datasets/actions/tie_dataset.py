"""Tie a dataset to a file or folder of this machine, or untie it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.server.apps.datasets.models import Dataset
from nomikon.server.apps.datasets.tied import standing
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class TieDataset:
    """how: a path below the folder of files and how it is taken in; None unties it."""

    dataset: Dataset
    how: Mapping[str, Any] | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Dataset:
        dataset = self.dataset
        if self.how is None:
            dataset.tied = None
        else:
            size, changed = standing(str(self.how["path"]))
            dataset.tied = {**self.how, "size": size, "changed_ns": changed}
        dataset.save(update_fields=["tied"])
        write_ledger(
            "dataset.tied",
            dataset,
            actor=self.actor,
            now=self.now,
            brief=dataset.brief,
            facts={"dataset": dataset.name, "path": self.how["path"] if self.how else ""},
        )
        return dataset
