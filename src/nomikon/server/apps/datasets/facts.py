"""What a dataset is, wherever it is named."""

from __future__ import annotations

from typing import Any

from django.db.models import Count

from nomikon.server.apps.datasets.models import HELD_OUT, WORKING, Dataset
from nomikon.server.apps.datasets.versioning import is_open, newest_version, undoable


def dataset_facts(dataset: Dataset) -> dict[str, Any]:
    """A dataset's newest version and how many cases each split holds."""
    version = newest_version(dataset)
    counts = (
        dict(version.entries.values_list("split").annotate(n=Count("id")).values_list("split", "n"))
        if version
        else {}
    )
    return {
        "id": dataset.pk,
        "name": dataset.name,
        "archived": dataset.archived,
        "taken_back": (version.taken_back_to or {}).get("words")
        if version and undoable(version)
        else None,
        "version": version.number if version else 0,
        "version_id": version.pk if version else 0,
        "changed": version.changed if version else 0,
        "open": version is None or is_open(version),
        "columns": version.columns if version else [],
        "kinds": version.kinds if version else {},
        "working": counts.get(WORKING, 0),
        "held_out": counts.get(HELD_OUT, 0),
        "tied": (dataset.tied or {}).get("path"),
    }
