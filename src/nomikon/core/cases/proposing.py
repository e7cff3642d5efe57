"""Having a model propose cases: what it is asked, how its reply is read, what it would add.

Nothing here calls a model.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Any

from nomikon.core.cases.near import near_duplicates
from nomikon.core.errors import TableError
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.replies import ReplyError, pick, rows_of
from nomikon.core.replies.shaping import plain_key

MOST_AT_ONCE = 100
MOST_DIMENSIONS = 8
MOST_VALUES = 20
# Cases shown to the model so that it sees their form and does not repeat them.
EXAMPLES = 6

INSTRUCTION = """\
You write test cases for the job below: inputs as they really come, which show where an answer \
to them goes right or wrong. Write {{how_many}} new cases that differ from each other and from \
the cases shown. Spread them over the dimensions: over the whole set every value should come up, \
in changing combinations. Include the hard kinds that are named. Write each input the way a real \
person or system would, with its length, mood and mistakes; never explain it."""

FORM = """\
Reply with one JSON object and nothing else: its key "cases" holds a list of objects with the \
keys "inputs" (an object with the keys {{columns}}, each a text), "reference" (the right answer \
in the form of those shown, or null where several would do) and "dimensions" (an object that \
gives for each dimension the value this case has)."""

TAIL = """\
Job:
{{job}}

Dimensions:
{{dimensions}}

Hard kinds to include:
{{hard}}

Cases there are already:
{{examples}}"""


@dataclass(frozen=True)
class Dimension:
    """One way in which cases differ, with the values it takes."""

    name: str
    values: tuple[str, ...]

    def tag(self, value: str) -> str:
        """How a case says which value it has."""
        return f"{self.name}: {value}"


@dataclass(frozen=True)
class Proposal:
    """A proposed case. near: the position of an existing case it nearly copies, or of an earlier
    proposal (`near_proposal`), with the likeness."""

    values: dict[str, str]
    reference: str | None
    tags: tuple[str, ...]
    near: int | None = None
    near_proposal: int | None = None
    likeness: float | None = None


@dataclass(frozen=True)
class Proposals:
    """What a reply held. refused: why an item of it is no case, by its place from 1."""

    cases: list[Proposal]
    refused: list[tuple[int, str]] = field(default_factory=list)
    repaired: list[str] = field(default_factory=list)
    passed_over: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Coverage:
    """How often each value of a dimension occurs. pairs: combinations of two values there are."""

    counts: dict[str, dict[str, int]]
    pairs: int
    pairs_possible: int


def check_dimensions(rows: Sequence[Mapping[str, Any]]) -> tuple[Dimension, ...]:
    """Dimensions from plain data. Raises TableError with the place that is wrong."""
    if len(rows) > MOST_DIMENSIONS:
        raise TableError(
            f"{len(rows)} dimensions; at most {MOST_DIMENSIONS} can be varied at once",
            field="dimensions",
        )
    found: list[Dimension] = []
    for place, row in enumerate(rows):
        name = str(row.get("name", "")).strip()
        values = list(dict.fromkeys(str(v).strip() for v in row.get("values", ())))
        values = [v for v in values if v]
        if not name or ":" in name or ";" in name:
            raise TableError(
                "a dimension needs a name without colon or semicolon",
                field=f"dimensions.{place}.name",
            )
        if name.casefold() in {d.name.casefold() for d in found}:
            raise TableError(f"{name} is there twice", field=f"dimensions.{place}.name")
        if not 2 <= len(values) <= MOST_VALUES:
            raise TableError(
                f"{name} needs 2 to {MOST_VALUES} values that differ; it has {len(values)}",
                field=f"dimensions.{place}.values",
            )
        if any(";" in v for v in values):
            raise TableError(
                f"a value of {name} holds a semicolon, which parts tags",
                field=f"dimensions.{place}.values",
            )
        found.append(Dimension(name, tuple(values)))
    return tuple(found)


def case_inputs(
    *,
    job: str,
    how_many: int,
    columns: Sequence[str],
    dimensions: Sequence[Dimension],
    hard: Sequence[str],
    examples: Sequence[tuple[Mapping[str, Any], str | None]],
) -> dict[str, str]:
    """What fills the request. examples: inputs and reference of cases there are.

    Raises TableError for a number that is not allowed, or where there is no column.
    """
    if not 1 <= how_many <= MOST_AT_ONCE:
        raise TableError(
            f"{how_many} cases at once; 1 to {MOST_AT_ONCE} can be asked for", field="how_many"
        )
    if not columns:
        raise TableError(
            "a case needs an input: name a placeholder in the prompt or a column first",
            field="columns",
        )
    shown = [
        json.dumps({"inputs": dict(inputs), "reference": reference}, ensure_ascii=False)
        for inputs, reference in examples[:EXAMPLES]
    ]
    return {
        "how_many": str(how_many),
        "columns": ", ".join(f'"{c}"' for c in columns),
        "job": job.strip() or "(not stated)",
        "dimensions": "\n".join(f"- {d.name}: {', '.join(d.values)}" for d in dimensions)
        or "(none named: choose your own)",
        "hard": "\n".join(f"- {h.strip()}" for h in hard if h.strip()) or "(none named)",
        "examples": "\n".join(shown) or "(none yet)",
    }


def read_proposals(
    text: str,
    *,
    columns: Sequence[str],
    dimensions: Sequence[Dimension],
    existing: Sequence[Mapping[str, Any]],
) -> Proposals:
    """Cases from a model's reply, each held against what there is.

    text: the JSON asked for, bare or in one fence; a bare list is taken too. An
    item that is no case is refused with its reason, the others are kept. Raises
    TableError where the whole cannot be read.
    """
    wanted = (*_INPUTS, *columns)
    try:
        found = rows_of(text, "cases", ("test_cases", "examples", "items", "new_cases"), (wanted,))
    except ReplyError as error:
        raise TableError(str(error), field="text") from error
    if not found.value:
        raise TableError('the list "cases" of the reply is empty', field="text")
    columns = columns or _columns_told(found.value)
    cases: list[Proposal] = []
    refused: list[tuple[int, str]] = []
    for place, row in enumerate(found.value, 1):
        try:
            cases.append(_read_one(row, columns, dimensions))
        except TableError as error:
            refused.append((place, error.message))
    shown = [{c: value_as_text(e.get(c) or "") for c in columns} for e in existing]
    if cases and all({c: p.values.get(c, "") for c in columns} in shown for p in cases):
        raise TableError("the model repeated cases that it was shown, and no other", field="text")
    return Proposals(
        _held_against(cases, columns, existing),
        refused,
        list(found.repaired),
        list(found.passed_over),
    )


_INPUTS = ("inputs", "input", "values")
_REFERENCES = ("reference", "expected", "answer", "output", "expected_output", "label")
_DIMENSIONS = ("dimensions", "tags", "dimension")


def _columns_told(rows: Sequence[Any]) -> list[str]:
    """The inputs that the cases of a reply have, where it is not known which there are."""
    aside = {plain_key(n) for n in (*_REFERENCES, *_DIMENSIONS)}
    found: dict[str, None] = {}
    for row in rows:
        inputs = pick(row, *_INPUTS) if isinstance(row, dict) else None
        if isinstance(inputs, str):
            found["input"] = None
        held = inputs if isinstance(inputs, dict) else row if isinstance(row, dict) else {}
        found.update(dict.fromkeys(str(k) for k in held if plain_key(k) not in aside))
    return list(found)


def _read_one(row: Any, columns: Sequence[str], dimensions: Sequence[Dimension]) -> Proposal:
    if not isinstance(row, dict):
        raise TableError("not an object")
    inputs = pick(row, *_INPUTS)
    if isinstance(inputs, str) and len(columns) == 1:
        inputs = {columns[0]: inputs}
    if inputs is None:
        inputs = row
    if not isinstance(inputs, dict):
        raise TableError("its inputs are no object")
    held = {c: _of_column(inputs, c, columns) for c in columns}
    values = {c: value_as_text(v) for c, v in held.items() if v is not None}
    if not any(v.strip() for v in values.values()):
        raise TableError(f"none of the inputs {', '.join(columns)} is filled")
    reference = pick(row, *_REFERENCES)
    told = pick(row, *_DIMENSIONS)
    given = (
        {plain_key(k): str(v).strip() for k, v in told.items()} if isinstance(told, dict) else {}
    )
    tags = []
    for dimension in dimensions:
        value = given.get(plain_key(dimension.name), "")
        # A value nobody named would be a hole in the coverage that looks filled.
        known = {v.casefold(): v for v in dimension.values}
        if value.casefold() in known:
            tags.append(dimension.tag(known[value.casefold()]))
    text = None if reference in (None, "") else value_as_text(reference)
    return Proposal(values, text, tuple(tags))


def _of_column(inputs: Mapping[str, Any], column: str, columns: Sequence[str]) -> Any:
    """A column's value; a key in other case or spelling is taken unless another column is nearer."""
    if column in inputs:
        return inputs[column]
    others = {k: v for k, v in inputs.items() if k not in columns}
    return pick(others, column)


def _held_against(
    cases: Sequence[Proposal], columns: Sequence[str], existing: Sequence[Mapping[str, Any]]
) -> list[Proposal]:
    def words(values: Mapping[str, Any]) -> str:
        return "\n".join(value_as_text(values.get(c) or "") for c in columns)

    n = len(existing)
    nearest: dict[int, tuple[int, float]] = {}
    for pair in near_duplicates([*map(words, existing), *(words(c.values) for c in cases)]):
        best = nearest.get(pair.b, (0, -math.inf))
        if pair.b >= n and pair.likeness > best[1]:
            nearest[pair.b] = (pair.a, pair.likeness)
    found = []
    for place, case in enumerate(cases):
        other, likeness = nearest.get(n + place, (None, None))
        own = other is not None and other >= n
        found.append(
            Proposal(
                case.values,
                case.reference,
                case.tags,
                None if own else other,
                other - n if own and other is not None else None,
                likeness,
            )
        )
    return found


def coverage(dimensions: Sequence[Dimension], tags: Sequence[Sequence[str]]) -> Coverage:
    """How far cases with these tags cover the dimensions, singly and in pairs of values."""
    counts = {d.name: dict.fromkeys(d.values, 0) for d in dimensions}
    seen: set[tuple[str, str]] = set()
    places = {d.tag(v): (d.name, v) for d in dimensions for v in d.values}
    for row in tags:
        held = sorted({t for t in row if t in places})
        for tag in held:
            name, value = places[tag]
            counts[name][value] += 1
        seen.update((a, b) for a, b in combinations(held, 2) if places[a][0] != places[b][0])
    possible = sum(len(a.values) * len(b.values) for a, b in combinations(dimensions, 2))
    return Coverage(counts, len(seen), possible)
