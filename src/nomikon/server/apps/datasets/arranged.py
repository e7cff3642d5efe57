"""The cases of a version as they are asked for; an order is worked out once and paged through."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from nomikon.core.cases.arranging import Condition, Row, arrange, check_conditions
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import SPLITS, Entry
from nomikon.server.apps.datasets.versioning import State


@dataclass(frozen=True)
class View:
    """What is asked for: words anywhere, a split, conditions, and the order."""

    split: str = ""
    words: str = ""
    conditions: tuple[Condition, ...] = ()
    sort: str = ""
    down: bool = False

    @classmethod
    def of(cls, query: Mapping[str, Any]) -> View:
        """From a query string; `where` is a JSON list of {column, test, value}."""
        try:
            told = json.loads(query.get("where") or "[]")
            conditions = tuple(
                Condition(str(c["column"]), str(c["test"]), str(c.get("value", ""))) for c in told
            )
        except (ValueError, TypeError, KeyError, AttributeError, RecursionError) as error:
            raise DatasetError(
                "the conditions must be a list of column, test and value", field="where"
            ) from error
        check_conditions(conditions)
        split = query.get("split", "")
        return cls(
            split if split in SPLITS else "",
            query.get("q", ""),
            conditions,
            query.get("sort", ""),
            query.get("down", "") == "true",
        )


@lru_cache(maxsize=32)
def arranged(state: State, view: View) -> list[int]:
    """Ids of the entries that are shown, in order, at one state of the version."""
    entries = Entry.objects.filter(dataset_version=state[0]).order_by("position", "pk")
    if view.split:
        entries = entries.filter(split=view.split)
    if not (view.words.strip() or view.conditions or view.sort):
        ids = list(entries.values_list("pk", flat=True))
        return ids[::-1] if view.down else ids
    found = list(
        entries.values_list(
            "pk",
            "revision__case__number",
            "revision__inputs",
            "revision__reference",
            "split",
            "revision__tags",
            "revision__source",
            "revision__case__own_id",
        )
    )
    order = arrange(
        [Row(*row[1:]) for row in found],
        words=view.words,
        conditions=view.conditions,
        sort=view.sort,
        down=view.down,
    )
    return [found[i][0] for i in order]
