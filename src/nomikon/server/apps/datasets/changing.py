"""A change of cases carried out and told: what every action does that changes many at once."""

from __future__ import annotations

from datetime import datetime

from nomikon.server.apps.datasets.models import Dataset, DatasetVersion
from nomikon.server.apps.datasets.versioning import Change, change_listing
from nomikon.server.apps.ledger.write import write_ledger


def change_cases(
    dataset: Dataset, change: Change, *, why: str, note: str = "", actor: str, now: datetime
) -> DatasetVersion:
    """Put a change into the listing and into the ledger; why: as the ledger tells it, note: as the
    version does, where that is another. Call inside the transaction of the change."""
    version = change_listing(dataset, change, note=note or why, now=now)
    write_ledger(
        "cases.changed",
        version,
        actor=actor,
        now=now,
        brief=dataset.brief,
        facts={
            "dataset": dataset.name,
            "changed": len(change.swapped),
            "added": len(change.added),
            "removed": len(change.removed),
            "why": why,
        },
    )
    return version
