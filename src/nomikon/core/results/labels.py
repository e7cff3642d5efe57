"""Answers as labels against the references: which fields can be read so, and the figures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from nomikon.core.errors import PlanError
from nomikon.core.measures.base import parse_json
from nomikon.core.stats.classification import Classification, Spread, classify, spread
from nomikon.core.texts.normal import normalised
from nomikon.core.trials import ANSWERED

WHOLE = "(the whole answer)"
# A field with more different values than this is no label.
MOST_LABELS = 40


class LabelRow(NamedTuple):
    """One output of an arm on a case with a reference. case: what its resampling goes by."""

    text: str
    outcome: str
    reference: str
    case: str


@dataclass(frozen=True)
class Labels:
    """fields: what can be read as labels, field: what was. given: each row's label, None for an
    answer that is none. cells: for a row and column of the matrix the places of its outputs."""

    fields: list[str]
    field: str
    found: Classification
    apart: Spread
    given: list[str | None]
    cells: dict[tuple[int, int], list[int]]


def labels_of(rows: Sequence[LabelRow], field: str | None) -> Labels:
    """Confusion matrix, figures, and for every cell the outputs in it.

    field: a key of JSON references, or WHOLE; None takes the first there is. Raises PlanError
    where the references hold no such labels.
    """
    documents = [_object(r.reference) for r in rows]
    fields = _fields([r.reference for r in rows], documents)
    chosen = field if field is not None else (fields[0] if fields else None)
    if chosen is None or chosen not in fields:
        raise PlanError(
            "the references hold no labels that answers could be counted by"
            if chosen is None
            else f"the references have no label {chosen!r}; there are {', '.join(fields)}",
            field="field",
        )
    wanted: list[str] = []
    given: list[str | None] = []
    for row, document in zip(rows, documents, strict=True):
        wanted.append(_label(row.reference if chosen == WHOLE else (document or {}).get(chosen)))
        got = None
        if row.outcome == ANSWERED:
            answer = (
                row.text if chosen == WHOLE else (_object(row.text) or {}).get(chosen, _Missing)
            )
            got = "(no such field)" if answer is _Missing else _label(answer)
        given.append(got)
    found = classify(wanted, given)
    place = {label: i for i, label in enumerate(found.rows)}
    cells: dict[tuple[int, int], list[int]] = {}
    for at, (want, got) in enumerate(zip(wanted, given, strict=True)):
        column = len(found.rows) + 1 if got is None else place.get(got, len(found.rows))
        cells.setdefault((place[want], column), []).append(at)
    return Labels(
        fields, chosen, found, spread(wanted, given, [r.case for r in rows]), given, cells
    )


class _Missing:
    """The answer has no such field, which is not the same as null in it."""


def _object(text: str) -> dict[str, Any] | None:
    try:
        value = parse_json(text)
    except ValueError:
        return None
    return value if isinstance(value, dict) else None


def _label(value: Any) -> str:
    if value is None:
        return "null"
    return normalised(value if isinstance(value, str) else str(value).lower())


def _fields(references: list[str], documents: list[dict[str, Any] | None]) -> list[str]:
    known = [d for d in documents if d is not None]
    if known and len(known) == len(documents):
        names = list(dict.fromkeys(name for d in known for name in d))
        return [n for n in names if _few({_label(d.get(n)) for d in known}, len(known))]
    return [WHOLE] if references and _few({_label(r) for r in references}, len(references)) else []


def _few(values: set[str], n: int) -> bool:
    return 2 <= len(values) <= min(MOST_LABELS, max(2, n // 2))
