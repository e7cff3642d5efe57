"""The next version of a dataset: the entries it shall list, the older versions left as they are."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from nomikon.server.datasets.models import Dataset, DatasetVersion, Entry

BATCH = 500
# A revision's id and its split, in the order of the dataset.
Listed = tuple[int, str]


def listed(version: DatasetVersion | None) -> list[Listed]:
    """What a version lists; nothing for none."""
    return [] if version is None else [(e.revision_id, e.split) for e in version.entries.all()]


def next_version(
    dataset: Dataset, entries: Iterable[Listed], *, columns: Iterable[str], note: str, now: datetime
) -> DatasetVersion:
    """Make the next version; columns it has had so far stay, new ones come after them.

    Call inside the transaction of the change.
    """
    before = dataset.versions.order_by("-number").first()
    version = DatasetVersion.objects.create(
        dataset=dataset,
        number=(before.number if before else 0) + 1,
        note=note,
        columns=list(dict.fromkeys([*(before.columns if before else []), *columns])),
        created_at=now,
    )
    Entry.objects.bulk_create(
        [
            Entry(dataset_version=version, revision_id=revision, split=split, position=place)
            for place, (revision, split) in enumerate(entries)
        ],
        batch_size=BATCH,
    )
    return version
