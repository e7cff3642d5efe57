"""An arm's answers as labels against the references: which fields can be read so, and the figures."""

from __future__ import annotations

from typing import Any

from nomikon.core.errors import PlanError
from nomikon.core.measures.base import parse_json
from nomikon.core.measures.match import normalised
from nomikon.core.stats.classification import classify, spread
from nomikon.core.trials import ANSWERED
from nomikon.server.trials.cases import example_cases
from nomikon.server.trials.models import Arm, Output

WHOLE = "(the whole answer)"
# A field with more different values than this is no label.
MOST_LABELS = 40


def labels_of(arm: Arm, field: str | None) -> dict[str, Any]:
    """Confusion matrix, figures, and for every cell the outputs in it.

    field: a key of JSON references, or WHOLE; None takes the first there is.
    Failed calls are missing and left out, as in every comparison, and so are cases that an arm
    of the trial shows as worked examples.
    """
    rows: list[Any] = list(
        Output.objects.filter(arm=arm, failure="", revision__reference__isnull=False)
        .exclude(revision__in=example_cases(arm.trial))
        .order_by("revision__case__number", "repeat")
        .values_list(
            "id", "text", "outcome", "revision__reference", "revision__case__number", "repeat"
        )
    )
    documents = [_object(r[3]) for r in rows]
    fields = _fields([r[3] for r in rows], documents)
    chosen = field if field is not None else (fields[0] if fields else None)
    if chosen is None or chosen not in fields:
        raise PlanError(
            "the references hold no labels that answers could be counted by"
            if chosen is None
            else f"the references have no label {chosen!r}; there are {', '.join(fields)}",
            field="field",
        )
    wanted, given, cells = [], [], []
    for (pk, text, outcome, reference, number, repeat), document in zip(
        rows, documents, strict=True
    ):
        want = _label(reference if chosen == WHOLE else (document or {}).get(chosen))
        got = None
        if outcome == ANSWERED:
            answer = text if chosen == WHOLE else (_object(text) or {}).get(chosen, _Missing)
            got = "(no such field)" if answer is _Missing else _label(answer)
        wanted.append(want)
        given.append(got)
        cells.append({"output": pk, "case": number, "repeat": repeat})
    found = classify(wanted, given)
    apart = spread(wanted, given, [str(c["case"]) for c in cells])
    where: dict[tuple[int, int], list[dict[str, Any]]] = {}
    place = {label: i for i, label in enumerate(found.rows)}
    for want, got, cell in zip(wanted, given, cells, strict=True):
        column = len(found.rows) + 1 if got is None else place.get(got, len(found.rows))
        where.setdefault((place[want], column), []).append({**cell, "said": got})
    return {
        "choices": fields,
        "field": chosen,
        "rows": found.rows,
        "columns": found.columns,
        "matrix": found.matrix.tolist(),
        "accuracy": found.accuracy,
        "macro_f1": found.macro_f1,
        "accuracy_interval": apart.accuracy,
        "macro_f1_interval": apart.macro_f1,
        "per_label": [
            {**f.__dict__, "f1_interval": apart.f1.get(f.label)} for f in found.per_label
        ],
        "cells": [{"row": r, "column": c, "outputs": listed} for (r, c), listed in where.items()],
    }


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
