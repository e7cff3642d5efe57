"""A trial's outputs as columns, and every figure as a pure function of that table.

Whoever has outputs (the server from its rows, the command line from its results) makes one
`ResultTable` of them; board, verdict, rounds, watch, `run` and `weigh` read the same figures off it.
Of a trial that is not complete they are estimates: differences with intervals, but no test, so that
nothing beats anything.
"""

from nomikon.core.results.counts import ArmCounts, counts_of
from nomikon.core.results.figures import (
    Held,
    all_at_once,
    arm_figures,
    beaten,
    case_scores,
    compared,
    credible,
    differences,
    effects,
    matrix,
    means_as_zero,
    scored_as_zero,
    shown_ahead,
    thresholds,
)
from nomikon.core.results.merits import ArmMerits, good_from, merits
from nomikon.core.results.table import UNGATED, ResultRow, ResultTable, table_of
from nomikon.core.results.values import values_by_case, watched_in
from nomikon.core.results.weights import weights

__all__ = [
    "UNGATED",
    "ArmCounts",
    "ArmMerits",
    "Held",
    "ResultRow",
    "ResultTable",
    "all_at_once",
    "arm_figures",
    "beaten",
    "case_scores",
    "compared",
    "counts_of",
    "credible",
    "differences",
    "effects",
    "good_from",
    "matrix",
    "means_as_zero",
    "merits",
    "scored_as_zero",
    "shown_ahead",
    "table_of",
    "thresholds",
    "values_by_case",
    "watched_in",
    "weights",
]
