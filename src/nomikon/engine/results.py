"""What an output took, and a trial's results as the table that figures are read off."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomikon.core.measures import read_scorecard
from nomikon.core.results import ResultRow, ResultTable, table_of
from nomikon.engine.units import ANSWER, CallRecord, TrialSpec, UnitResult


@dataclass(frozen=True)
class Taken:
    """What serving an output took: its answers' calls, judgements and a played user left out.

    Costs in billionths; cost is None where an answer has no price. newly: what all of its calls
    cost that was neither stored nor had by another, broken attempts with it; None where no answer has
    a price and nothing was wasted.
    """

    tokens_in: int | None
    tokens_out: int | None
    cost: int | None
    newly: int | None
    latency_ms: float | None
    first_ms: float | None


def taken_by(calls: Sequence[CallRecord]) -> Taken:
    """The sums over an output's calls."""
    spent = [c for c in calls if c.tokens_out is not None]
    answered = [c for c in spent if c.part == ANSWER]
    if not answered:
        # Nothing was answered; what broke off on the way may have cost something all the same.
        wasted = sum(c.wasted_cost for c in calls)
        return Taken(None, None, None, wasted or None, None, None)
    costs = [c.cost for c in answered]
    cost = None if None in costs else sum(c or 0 for c in costs)
    firsts = [c.first_ms for c in answered if c.first_ms is not None]
    return Taken(
        sum(c.tokens_in or 0 for c in answered),
        sum(c.tokens_out or 0 for c in answered),
        cost,
        None if cost is None else sum(c.newly_spent for c in calls),
        sum(c.latency_ms for c in answered),
        firsts[0] if firsts else None,
    )


def results_table(spec: TrialSpec, results: Iterable[UnitResult], complete: bool) -> ResultTable:
    """The results of a trial that is at hand whole, such as one run from a file."""
    place = {a.key: i for i, a in enumerate(spec.arms)}
    had = sorted(results, key=lambda r: place[r.arm_key])
    rows = []
    for number, r in enumerate(had):
        took = taken_by(r.calls)
        failed = r.failure is not None
        rows.append(
            ResultRow(
                number,
                r.arm_key,
                r.case_key,
                r.repeat,
                r.outcome,
                r.failure or "",
                took.latency_ms,
                took.cost,
                took.tokens_in,
                took.tokens_out,
                None if failed else r.total,
                None if failed else r.ungated,
            )
        )
    card = read_scorecard(spec.scorecard)

    def by_measure(keys: Sequence[int]) -> Mapping[str, NDArray[np.float64]]:
        return {
            name: np.array([_score(had[k], name) for k in keys], dtype=np.float64)
            for name in card.names
        }

    return table_of(
        rows,
        card,
        arms=[a.key for a in spec.arms],
        complete=complete,
        by_measure=by_measure,
        examples=spec.examples,
    )


def _score(result: UnitResult, measure: str) -> float:
    score = result.scores.get(measure)
    if score is None or score.value is None or result.failure is not None:
        return math.nan
    return score.value
