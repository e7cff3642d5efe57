"""Versions of a dataset: the newest takes changes until a trial runs on it, then it stays as it is."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db.models import F, Max

from nomikon.server.apps.datasets.models import Dataset, DatasetVersion, Entry
from nomikon.server.rows import insert_rows, update_rows

BATCH = 500
# A revision's id and its split, in the order of the dataset.
Listed = tuple[int, str]


@dataclass(frozen=True)
class Place:
    """A revision's split and position in a version; position None for the end."""

    revision: int
    split: str
    position: int | None = None


@dataclass(frozen=True)
class Change:
    """What is listed otherwise than before.

    swapped: by the revision that is listed now, what stands in its place.
    columns: that come after those there are; columns_now: all there are from now on. kinds: of columns that get another.
    as_one: in words, a change of many that one press can take back. It makes a further version
    even where the newest still takes changes; an empty one is used.
    """

    swapped: Mapping[int, Listed] = field(default_factory=dict)
    removed: frozenset[int] = frozenset()
    added: Sequence[Place] = ()
    columns: Iterable[str] = ()
    kinds: Mapping[str, str] = field(default_factory=dict)
    as_one: str = ""
    columns_now: Sequence[str] | None = None


def newest_version(dataset: Dataset) -> DatasetVersion | None:
    """The version that is worked on."""
    return dataset.versions.order_by("-number").first()


def is_open(version: DatasetVersion) -> bool:
    """Whether changes still go into it: no trial has run on it. Version 0 stays empty."""
    return version.number > 0 and not version.trials.exists()


# One state of a version; a rolled back change may give its number to another.
State = tuple[int, int, float]


def state_of(version: DatasetVersion) -> State:
    """What a result worked out from a version is kept under."""
    return version.pk, version.changed, version.created_at.timestamp()


def change_listing(dataset: Dataset, change: Change, *, note: str, now: datetime) -> DatasetVersion:
    """Put a change into the newest version, or into the next one where a trial holds that.

    Call inside the transaction of the change.
    """
    before = newest_version(dataset)
    columns = list(change.columns)
    # What kind of values a column holds changes nothing that a trial ran on.
    kinds_only = not (
        change.swapped or change.removed or change.added or columns or change.columns_now
    )
    if before is not None and before.number > 0 and kinds_only:
        version = before
    elif before is None or not is_open(before) or (change.as_one and before.entries.exists()):
        # Written as it is after the change: cheaper than a copy that is changed then.
        version = _next_version(dataset, before, now, change=change)
    else:
        version = before
        _change_entries(version, change)
    entries = version.entries
    last = entries.aggregate(last=Max("position"))["last"]
    end = 0 if last is None else last + 1
    insert_rows(
        Entry,
        [
            {
                "dataset_version_id": version.pk,
                "revision_id": p.revision,
                "split": p.split,
                "position": end + i if p.position is None else p.position,
            }
            for i, p in enumerate(change.added)
        ],
    )
    version.changed += 1
    version.taken_back_to = _what_was(dataset, before, version, change.as_one, now)
    version.columns = list(dict.fromkeys([*version.columns, *columns]))
    version.kinds = {**version.kinds, **change.kinds}
    if change.columns_now is not None:
        version.columns = list(change.columns_now)
        version.kinds = {c: k for c, k in version.kinds.items() if c in version.columns}
    version.note = note[:300]
    version.save(update_fields=["columns", "kinds", "note", "changed", "taken_back_to"])
    return version


def _what_was(
    dataset: Dataset,
    before: DatasetVersion | None,
    version: DatasetVersion,
    words: str,
    now: datetime,
) -> dict[str, Any] | None:
    """What `DatasetVersion.taken_back_to` holds of a change; None where no press takes it back."""
    if not words:
        return version.taken_back_to
    former = before
    if former is None or former.pk == version.pk:
        # A change of nothing leaves nothing again: version 0 is always empty.
        former, _ = dataset.versions.get_or_create(number=0, defaults={"created_at": now})
    return {
        "words": words,
        "before": former.pk,
        "columns": before.columns if before else [],
        "kinds": before.kinds if before else {},
        "changed": version.changed,
    }


def _change_entries(version: DatasetVersion, change: Change) -> None:
    """Take out and swap in place."""
    for chunk in _chunks(sorted(change.removed)):
        version.entries.filter(revision_id__in=chunk).delete()
    if change.swapped:
        update_rows(
            Entry,
            ("revision_id", "split"),
            ("dataset_version_id", "revision_id"),
            [(*now, version.pk, former) for former, now in change.swapped.items()],
        )


def _next_version(
    dataset: Dataset,
    before: DatasetVersion | None,
    now: datetime,
    *,
    number: int | None = None,
    change: Change | None = None,
) -> DatasetVersion:
    """A further version that lists what the one before it lists, after a change."""
    version = DatasetVersion.objects.create(
        dataset=dataset,
        number=number or (before.number if before else 0) + 1,
        columns=before.columns if before else [],
        kinds=before.kinds if before else {},
        created_at=now,
    )
    if before is not None:
        removed = change.removed if change else frozenset()
        swapped = change.swapped if change else {}
        rows = before.entries.values_list("revision_id", "split", "position")
        insert_rows(
            Entry,
            [
                {
                    "dataset_version_id": version.pk,
                    "revision_id": swapped.get(r, (r, split))[0],
                    "split": swapped.get(r, (r, split))[1],
                    "position": position,
                }
                for r, split, position in rows.iterator(chunk_size=2000)
                if r not in removed
            ],
        )
    return version


def list_again(
    newest: DatasetVersion, before: DatasetVersion, *, note: str, now: datetime
) -> DatasetVersion:
    """Let the newest version, or the next where a trial holds that, list what a former one lists.

    Call inside the transaction of the change.
    """
    version = newest
    if is_open(newest) and newest.pk != before.pk:
        newest.entries.all().delete()
        rows = before.entries.values("revision_id", "split", "position")
        insert_rows(Entry, [{"dataset_version_id": newest.pk, **row} for row in rows])
    else:
        version = _next_version(newest.dataset, before, now, number=newest.number + 1)
    version.columns, version.kinds = before.columns, before.kinds
    version.note, version.taken_back_to = note[:300], None
    version.changed += 1
    version.save(update_fields=["columns", "kinds", "note", "changed", "taken_back_to"])
    return version


def undoable(version: DatasetVersion) -> bool:
    """Whether one change of many made this version, and nothing changed it since."""
    return (version.taken_back_to or {}).get("changed") == version.changed


def _chunks(ids: list[int]) -> Iterable[list[int]]:
    """Ids in parts that one statement can name."""
    return (ids[i : i + BATCH] for i in range(0, len(ids), BATCH))


def changed_since(version: DatasetVersion) -> bool:
    """Whether the version was changed after it was read."""
    return (
        not DatasetVersion.objects.filter(pk=version.pk, changed=F("changed"))
        .filter(changed=version.changed)
        .exists()
    )
