"""Scorecards: which measures count, how much, and which are gates."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from nomikon.core.errors import MeasureError, ScorecardError
from nomikon.core.measures.base import Answer, Measure, Score
from nomikon.core.measures.registry import make_measure
from nomikon.core.trials.outcomes import ANSWERED, Outcome, outcome_of

FORMAT = "scorecard/1"
DEFAULT_MARGIN = 0.05
TOTAL = "total"
_RESERVED = ("measure", "name", "weight", "gate")


@dataclass(frozen=True)
class Entry:
    """One measure of a scorecard; a gate below 1 zeroes the total."""

    name: str
    measure: Measure
    weight: float
    gate: bool


@dataclass(frozen=True)
class Scorecard:
    """Measures in order, and the margin within which a difference does not matter."""

    entries: tuple[Entry, ...]
    margin: float = DEFAULT_MARGIN

    @property
    def names(self) -> list[str]:
        """Names of the measures, in order, without the total."""
        return [e.name for e in self.entries]


@dataclass(frozen=True)
class Scores:
    """Scores of one output by measure name, the total, and the total had no gate failed."""

    by_name: dict[str, Score]
    total: Score
    ungated: float | None


def read_scorecard(document: Any) -> Scorecard:
    """A scorecard from its plain form (`nomikon: scorecard/1`).

    Raises ScorecardError whose field leads to the place (`measures.2.weight`).
    """
    if not isinstance(document, Mapping):
        raise ScorecardError("a scorecard must be a mapping", field="scorecard")
    if document.get("nomikon") != FORMAT:
        raise ScorecardError(
            f"a scorecard must say `nomikon: {FORMAT}`; this says {document.get('nomikon')!r}",
            field="nomikon",
        )
    unknown = set(document) - {"nomikon", "margin", "measures", "name"}
    if unknown:
        raise ScorecardError(
            f"unknown key {sorted(map(str, unknown))[0]!r}; allowed are margin and measures",
            field=sorted(map(str, unknown))[0],
        )
    margin = document.get("margin", DEFAULT_MARGIN)
    if not _is_number(margin) or not 0 < margin < 1:
        raise ScorecardError(f"margin is {margin!r}; it must lie between 0 and 1", field="margin")
    rows = document.get("measures")
    if not isinstance(rows, list) or not rows:
        raise ScorecardError("a scorecard needs at least one measure", field="measures")
    entries = tuple(_entry(row, index) for index, row in enumerate(rows))
    names = [e.name for e in entries]
    for index, name in enumerate(names):
        if name == TOTAL or names.index(name) != index:
            reason = "is reserved" if name == TOTAL else "is used twice; give one a name"
            raise ScorecardError(f"the name {name!r} {reason}", field=f"measures.{index}.name")
    if not any(e.weight > 0 for e in entries):
        raise ScorecardError("at least one measure needs a weight above 0", field="measures")
    return Scorecard(entries, float(margin))


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool) and math.isfinite(value)


def _entry(row: Any, index: int) -> Entry:
    where = f"measures.{index}"
    if not isinstance(row, Mapping) or not isinstance(row.get("measure"), str):
        raise ScorecardError(
            f"measure {index + 1} does not name its measure", field=f"{where}.measure"
        )
    kind = row["measure"]
    name = row.get("name", kind)
    weight, gate = row.get("weight", 1), row.get("gate", False)
    if not isinstance(name, str) or not name.strip():
        raise ScorecardError(f"the name of measure {index + 1} is empty", field=f"{where}.name")
    if not _is_number(weight) or weight < 0:
        raise ScorecardError(
            f"the weight of {name} is {weight!r}; it must be a number from 0",
            field=f"{where}.weight",
        )
    if not isinstance(gate, bool):
        raise ScorecardError(f"gate of {name} must be true or false", field=f"{where}.gate")
    try:
        measure = make_measure(kind, {k: v for k, v in row.items() if k not in _RESERVED})
    except MeasureError as error:
        raise ScorecardError(f"{name}: {error.message}", field=f"{where}.{error.field}") from error
    return Entry(name, measure, float(weight), gate)


def _each(card: Scorecard, answer: Answer) -> dict[str, Score]:
    """Scores in order; an expression sees those of the measures above it."""
    by_name: dict[str, Score] = {}
    for entry in card.entries:
        seen = answer
        if entry.measure.reads_scores:
            seen = replace(answer, scores={n: s.value for n, s in by_name.items()})
        by_name[entry.name] = entry.measure.score(seen)
    return by_name


def score_answer(card: Scorecard, answer: Answer, outcome: Outcome | None = None) -> Scores:
    """Score one output by every measure of a scorecard.

    A cut, declined or empty answer is no answer and scores 0 by every measure.
    The total is the weighted mean; missing when a weighted measure or a gate
    has no score (never reweighted); 0 when a gate scores below 1. outcome: what
    the output is taken for, where that was told before.
    """
    outcome = outcome or outcome_of(answer.output, answer.finish_reason)
    if outcome.kind != ANSWERED:
        zero = Score(0.0, f"{outcome.kind}: {outcome.why}")
        return Scores({e.name: zero for e in card.entries}, zero, 0.0)
    by_name = _each(card, answer)
    unscored = [
        e.name for e in card.entries if by_name[e.name].value is None and (e.weight > 0 or e.gate)
    ]
    if unscored:
        return Scores(by_name, Score(None, f"no score from {', '.join(unscored)}"), None)
    weight = math.fsum(e.weight for e in card.entries)
    parts = [(e, by_name[e.name].value) for e in card.entries]
    # A measure of weight 0 that has no score is shown and takes no part.
    mean = math.fsum(e.weight * v for e, v in parts if v is not None) / weight
    mean = min(1.0, max(0.0, mean))
    closed = [e.name for e, v in parts if e.gate and v is not None and v < 1]
    if closed:
        return Scores(by_name, Score(0.0, f"the gate {', '.join(closed)} was not passed"), mean)
    why = "weighted mean of " + ", ".join(e.name for e in card.entries if e.weight > 0)
    return Scores(by_name, Score(mean, why), mean)
