"""What an update would do to the cases, before anything is written."""

from __future__ import annotations

from collections.abc import Callable

from nomikon.core.cases import Refused
from nomikon.server.apps.datasets.actions.import_cases import REMOVE, ImportCases, NewCase
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.matching import Matcher, contents, differences, merged
from nomikon.server.apps.datasets.reads import RefusedShape, UpdateChange, UpdatePreview
from nomikon.server.apps.datasets.versioning import BATCH

# So many of the changed cases are shown cell by cell, and so many that would go.
SHOWN, GONE_SHOWN = 100, 20
# Of a cell so much is shown around the place where it differs.
LONGEST = 300


def would_change(
    action: ImportCases, told: Callable[[int, int], None], stopped: Callable[[], bool]
) -> UpdatePreview:
    """Rows that are new, changed, equal, and cases that no row speaks of. Raises DatasetError."""
    action.check()
    if not action.by:
        raise DatasetError("say by what rows find the cases they change", field="by")
    matcher = Matcher(action.dataset, action.by)
    found: UpdatePreview = {
        "new": 0, "changed": 0, "equal": 0, "gone": 0, "removes": action.gone == REMOVE,
        "changes": [], "gone_numbers": [], "n_refused": 0, "refused": [],
    }  # fmt: skip
    batch: list[NewCase] = []
    for read, row in enumerate(action.rows(matcher), 1):
        if isinstance(row, Refused):
            found["n_refused"] += 1
            if len(found["refused"]) < SHOWN:
                found["refused"].append(refused_row(row))
        elif row.found is None:
            found["new"] += 1
        else:
            batch.append(row)
        if len(batch) == BATCH:
            _hold_against(batch, found)
            batch = []
        if read % BATCH == 0:
            told(read, found["n_refused"])
            if stopped():
                break
    _hold_against(batch, found)
    found["removes"] = found["removes"] and not found["n_refused"]
    gone = sorted(listed.number for listed in matcher.gone())
    found["gone"], found["gone_numbers"] = len(gone), gone[:GONE_SHOWN]
    return found


def refused_row(row: Refused) -> RefusedShape:
    """A refused line as it is shown, to be put right where it stands."""
    return {"line": row.line, "reason": row.reason, "cells": list(row.cells)}


def _hold_against(batch: list[NewCase], found: UpdatePreview) -> None:
    before = contents(row.found.revision for row in batch if row.found)
    for row in batch:
        assert row.found is not None
        old = before[row.found.revision]
        cells = differences(old, merged(old, row.content))
        split = row.split or row.found.split
        if split != row.found.split:
            cells.append(("split", row.found.split, split))
        if not cells:
            found["equal"] += 1
            continue
        found["changed"] += 1
        if len(found["changes"]) < SHOWN:
            shown: UpdateChange = {
                "line": row.line,
                "number": row.found.number,
                "cells": [
                    {"column": name, "before": was[:LONGEST], "after": now[:LONGEST]}
                    for name, was, now in ((n, *_around(x, y)) for n, x, y in cells)
                ],
            }
            found["changes"].append(shown)


def _around(before: str, after: str) -> tuple[str, str]:
    """Two long texts from shortly before the first sign that differs."""
    if max(len(before), len(after)) <= LONGEST:
        return before, after
    same = next(
        (i for i, (x, y) in enumerate(zip(before, after, strict=False)) if x != y),
        min(len(before), len(after)),
    )
    start = max(0, same - LONGEST // 4)
    mark = "…" if start else ""
    return mark + before[start:], mark + after[start:]
