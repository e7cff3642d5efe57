"""Which cases are shown and in what order: words, conditions, one column to sort by."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nomikon.core.cases.kinds import as_number
from nomikon.core.errors import TableError
from nomikon.core.prompts.rendering import value_as_text

NUMBER, REFERENCE, SPLIT, TAGS = "#number", "#reference", "#split", "#tags"
SOURCE = "#source"
OWN_COLUMNS = (NUMBER, REFERENCE, SPLIT, TAGS, SOURCE)
HOLDS, LACKS, IS, IS_NOT, EMPTY, FILLED = "holds", "lacks", "is", "is-not", "empty", "filled"
TESTS_IN_WORDS = {
    HOLDS: "holds",
    LACKS: "does not hold",
    IS: "is",
    IS_NOT: "is not",
    EMPTY: "is empty",
    FILLED: "is not empty",
}
TESTS = tuple(TESTS_IN_WORDS)


@dataclass(frozen=True)
class Row:
    """What is looked at of a case."""

    number: int
    inputs: Mapping[str, Any]
    reference: str | None
    split: str
    tags: Sequence[str]
    source: str = ""
    own_id: str = ""


@dataclass(frozen=True)
class Condition:
    """column: an input's name or one of OWN_COLUMNS. test: one of TESTS."""

    column: str
    test: str
    value: str = ""


def check_conditions(conditions: Sequence[Condition]) -> None:
    """Raises TableError for a test that there is not."""
    for place, c in enumerate(conditions):
        if c.test not in TESTS:
            raise TableError(
                f"{c.test!r} is no test; allowed are {', '.join(TESTS)}", field=f"where.{place}"
            )


def arrange(
    rows: Sequence[Row],
    *,
    words: str = "",
    conditions: Sequence[Condition] = (),
    sort: str = "",
    down: bool = False,
) -> list[int]:
    """Positions of the rows that are shown, in order.

    words: found anywhere in a case, in any case. Every condition must hold.
    sort: a column; numbers by their size before texts by their letters, empty
    ones last either way; equal ones keep their order.
    """
    sought = words.strip().casefold()
    found = [
        i
        for i, row in enumerate(rows)
        if (not sought or sought in _all_of(row)) and all(_holds(row, c) for c in conditions)
    ]
    if not sort:
        return found[::-1] if down else found
    filled = [i for i in found if _text(rows[i], sort) != ""]
    empty = [i for i in found if _text(rows[i], sort) == ""]
    filled.sort(key=lambda i: _order(rows[i], sort), reverse=down)
    return filled + empty


def _text(row: Row, column: str) -> str:
    if column == NUMBER:
        return row.own_id or str(row.number)
    if column == REFERENCE:
        return row.reference or ""
    if column == SPLIT:
        return row.split
    if column == TAGS:
        return "; ".join(row.tags)
    if column == SOURCE:
        return row.source
    value = row.inputs.get(column)
    return "" if value is None else value_as_text(value)


def _order(row: Row, column: str) -> tuple[int, float, str]:
    text = _text(row, column)
    number = as_number(text)
    return (0, number, "") if number is not None else (1, 0.0, text.casefold())


def _all_of(row: Row) -> str:
    parts = [value_as_text(v) for v in row.inputs.values() if v is not None]
    return "\n".join([*parts, row.reference or "", *row.tags, row.source, row.own_id]).casefold()


def _holds(row: Row, condition: Condition) -> bool:
    text, value = _text(row, condition.column), condition.value
    if condition.test == EMPTY:
        return text.strip() == ""
    if condition.test == FILLED:
        return text.strip() != ""
    if condition.column == TAGS and condition.test in (IS, IS_NOT):
        return (value in row.tags) == (condition.test == IS)
    if condition.test in (IS, IS_NOT):
        return (text.strip() == value.strip()) == (condition.test == IS)
    return (value.casefold() in text.casefold()) == (condition.test == HOLDS)
