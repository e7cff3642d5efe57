"""Means by case over repeats, for what is held against a former run of the same cases."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nomikon.core.measures import TOTAL, Scorecard
from nomikon.core.measures.twin_pairs import Twins
from nomikon.core.results.table import Floats, ResultTable, remembered
from nomikon.core.stats.drift import COST, SCORE, TIME, TWINS, WATCHED


@remembered
def values_by_case(table: ResultTable, arm: str) -> dict[str, dict[str, float]]:
    """Score, cost and time of an arm by case; a case of which one repeat lacks it is left out.

    Costs in billionths of the currency, times in milliseconds. Where the scorecard has twins of the
    cases asked, the share of them that hold, by the first such measure.
    """
    rows = table.counted & (table.arm == table.arms.index(arm))
    found = {
        SCORE: _means(table, rows, table.column(TOTAL)),
        COST: _means(table, rows, table.cost),
        TIME: _means(table, rows, table.latency_ms),
    }
    for name in twins_in(table.card)[:1]:
        found[TWINS] = _means(table, rows, table.column(name))
    return found


def twins_in(card: Scorecard) -> list[str]:
    """The measures of a scorecard that have twins of the cases asked, by name."""
    return [name for name, measure in card.asking if isinstance(measure, Twins)]


def watched_in(card: Scorecard) -> tuple[str, ...]:
    """What a watch compares that is read by a scorecard."""
    return (*WATCHED, TWINS) if twins_in(card) else WATCHED


def _means(table: ResultTable, rows: NDArray[np.bool_], values: Floats) -> dict[str, float]:
    case = table.case[rows]
    n = len(table.cases)
    sums = np.bincount(case, weights=values[rows], minlength=n)
    had = np.bincount(case, minlength=n)
    return {
        name: float(sums[i] / had[i])
        for i, name in enumerate(table.cases)
        if had[i] and not np.isnan(sums[i])
    }
