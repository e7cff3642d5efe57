"""Take an import or a change of many cases back: the dataset lists what it listed before; trials keep what they ran on."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import Dataset, DatasetVersion
from nomikon.server.apps.datasets.versioning import list_again, newest_version, undoable
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class TakeBack:
    """Only the last change can be undone so: what came after it would be lost with it."""

    dataset: Dataset
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> DatasetVersion:
        newest = newest_version(self.dataset)
        if newest is None or not undoable(newest):
            raise DatasetError(
                "the cases were changed since: take those changes back first, or put things right by hand"
                if newest is not None and newest.taken_back_to
                else "the last thing that happened to these cases cannot be taken back in one press"
            )
        told = newest.taken_back_to or {}
        before = DatasetVersion.objects.filter(pk=told["before"], dataset=self.dataset).first()
        if before is None:
            raise DatasetError("what these cases were before is not there any more")
        version = list_again(newest, before, note="taken back", now=self.now)
        # Of an import into nothing the columns that were typed before it stay.
        version.columns, version.kinds = told["columns"], told["kinds"]
        version.save(update_fields=["columns", "kinds"])
        write_ledger(
            "cases.taken_back",
            version,
            actor=self.actor,
            now=self.now,
            brief=self.dataset.brief,
            facts={"dataset": self.dataset.name, "what": told["words"]},
        )
        return version
