"""What a dataset version is like; worked out once for each of its states."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from nomikon.core.cases.near import NearPair, near_groups
from nomikon.core.cases.quality import examine
from nomikon.server.apps.datasets.models import DatasetVersion
from nomikon.server.apps.datasets.versioning import State

MOST_PAIRS = 100
# Near-copies among more cases than this are looked for only when they are asked for.
MOST_AT_ONCE = 2000


@lru_cache(maxsize=16)
def quality_of(state: State, near: bool) -> dict[str, Any]:
    """Labels, lengths and, with near, near-duplicates and leaks by case number."""
    rows = list(
        DatasetVersion.objects.get(pk=state[0])
        .entries.order_by("position")
        .values_list(
            "revision__case__number",
            "revision__inputs",
            "revision__reference",
            "split",
            "revision__tags",
            "revision__source",
        )
    )
    numbers = [r[0] for r in rows]
    found = examine(
        [r[1] for r in rows],
        [r[2] for r in rows],
        [r[3] for r in rows],
        [r[4] for r in rows],
        near=near,
    )

    sources = [r[5] for r in rows]
    groups = near_groups(found.duplicates)

    def pairs(listed: list[NearPair]) -> list[dict[str, Any]]:
        return [
            {"a": numbers[p.a], "b": numbers[p.b], "likeness": p.likeness}
            for p in listed[:MOST_PAIRS]
        ]

    return {
        "near": near,
        "duplicates": pairs(found.duplicates),
        "n_duplicates": len(found.duplicates),
        "leaks": pairs(found.leaks),
        "n_leaks": len(found.leaks),
        "n_groups": sum(not all(sources[m] for m in group) for group in groups),
        "labels": found.labels,
        "lengths": [{"column": c, **x.__dict__} for c, x in found.lengths.items()],
        "empty": [numbers[i] for i in found.empty],
        "outliers": [numbers[i] for i in found.outliers],
        "tags": found.tags,
        "smallest_difference": found.smallest_difference,
    }
