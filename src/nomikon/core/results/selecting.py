"""Which answers of a table are looked at, and in what order: filters by figures, orders by figures."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomikon.core.errors import PlanError
from nomikon.core.measures import TOTAL
from nomikon.core.results.table import Floats, ResultTable
from nomikon.core.trials import ANSWERED, OUTCOMES

Bools = NDArray[np.bool_]

# Orders: as the dataset has them, by number of the case, as they came, by how far the arms lie
# apart, the lowest or highest first, by how far the repeats of one arm lie apart.
ORDERS = DATASET, ARRIVAL, DIFFER, WORST, BEST, REPEATS = (
    "dataset",
    "arrival",
    "differ",
    "worst",
    "best",
    "repeats",
)
# An outcome, or any that is no answer.
NO_ANSWER = "no answer"
KINDS = (*OUTCOMES, NO_ANSWER)
# Scores that lie no further apart are alike.
APART = 1e-9


@dataclass(frozen=True)
class Wanted:
    """What is looked for; an empty part asks for nothing.

    arms: of the table; none for all. repeat: that one alone. outcome: one of KINDS. measure, low,
    high: an output's score by this measure (the total without a name) within both. differ: cases
    whose arms do not all score alike; alike: those where all have a score and they do;
    repeats_differ: cases in which repeats of one arm do not.
    cases, keys: those that something outside of the table has found; None for all.
    """

    arms: tuple[str, ...] = ()
    repeat: int | None = None
    outcome: str = ""
    measure: str = TOTAL
    low: float | None = None
    high: float | None = None
    differ: bool = False
    alike: bool = False
    repeats_differ: bool = False
    cases: Collection[str] | None = None
    keys: Collection[int] | None = None
    order: str = DATASET
    turned: bool = False


@dataclass(frozen=True)
class Found:
    """cases: in the order asked for. outputs: how many of the arms' outputs for these meet what is asked.

    differing: of all cases of these arms, those whose arms do not score alike.
    """

    cases: tuple[str, ...]
    outputs: int
    differing: int


def select(table: ResultTable, wanted: Wanted, dataset: Mapping[str, int]) -> Found:
    """The cases in which an output of the arms meets all that is asked of one.

    dataset: the place of every case of the trial, those without an output too: they are found
    where nothing is asked of an output. Raises PlanError for an unknown arm, measure, kind or order.
    """
    _check(table, wanted)
    arms = wanted.arms or table.arms
    columns = np.array([table.arms.index(a) for a in arms], dtype=np.int64)
    scores = table.column(wanted.measure)
    own = np.isin(table.arm, columns)
    if wanted.repeat is not None:
        own &= table.repeat == wanted.repeat
    means = _means(table, scores, own, columns)
    spread = _spread(means)
    meets = own & _meeting(table, wanted, scores)
    found = np.zeros(len(table.cases), dtype=np.bool_)
    found[table.case[meets]] = True
    if wanted.differ:
        found &= spread > APART
    if wanted.alike:
        found &= (spread <= APART) & ~np.isnan(means).any(axis=1)
    within = _repeat_spread(table, scores, own) if _needs_repeats(wanted) else np.zeros(found.size)
    if wanted.repeats_differ:
        found &= within > APART
    names = {table.cases[i] for i in np.flatnonzero(found)}
    if not _asks_of_outputs(wanted):
        names |= dataset.keys() - set(table.cases)
    if wanted.cases is not None:
        names &= set(wanted.cases)
    place = {name: i for i, name in enumerate(table.cases)}
    weights = _weights(table, wanted.order, means, spread, within)
    sign = -1.0 if wanted.turned else 1.0

    def rank(name: str) -> tuple[bool, float, int]:
        known = place.get(name)
        weight = None if known is None or weights is None else float(weights[known])
        # What has no figure comes last, whichever way the order runs.
        unknown = weights is not None and (weight is None or weight != weight)
        return unknown, 0.0 if unknown or weight is None else sign * weight, dataset.get(name, 0)

    ordered = sorted(names, key=rank)
    if weights is None and wanted.turned:
        ordered.reverse()
    kept = np.array([name in names for name in table.cases], dtype=np.bool_)
    outputs = int((meets & kept[table.case]).sum()) if kept.size else 0
    return Found(tuple(ordered), outputs, int(np.count_nonzero(spread > APART)))


def _check(table: ResultTable, wanted: Wanted) -> None:
    for arm in wanted.arms:
        if arm not in table.arms:
            raise PlanError("one of these arms is not of this trial", field="arms")
    if wanted.measure != TOTAL and wanted.measure not in table.card.names:
        raise PlanError(
            f"the scorecard has no measure {wanted.measure!r}; it has {', '.join(table.card.names)}",
            field="measure",
        )
    if wanted.outcome and wanted.outcome not in KINDS:
        raise PlanError(
            f"{wanted.outcome!r} is no outcome; there are {', '.join(KINDS)}", field="outcome"
        )
    if wanted.order not in ORDERS:
        raise PlanError(
            f"{wanted.order!r} is no order; there are {', '.join(ORDERS)}", field="order"
        )


def _asks_of_outputs(wanted: Wanted) -> bool:
    return bool(
        wanted.outcome
        or wanted.low is not None
        or wanted.high is not None
        or wanted.differ
        or wanted.alike
        or wanted.repeats_differ
        or wanted.keys is not None
        or wanted.repeat is not None
    )


def _needs_repeats(wanted: Wanted) -> bool:
    return wanted.repeats_differ or wanted.order == REPEATS


def _meeting(table: ResultTable, wanted: Wanted, scores: Floats) -> Bools:
    """Outputs that meet what is asked of an output by itself."""
    meets = np.ones(scores.size, dtype=np.bool_)
    if wanted.outcome:
        kinds = np.array(table.outcome, dtype=object)
        if wanted.outcome == NO_ANSWER:
            meets &= kinds != ANSWERED
        else:
            meets &= kinds == wanted.outcome
    with np.errstate(invalid="ignore"):
        if wanted.low is not None:
            meets &= scores >= wanted.low - APART
        if wanted.high is not None:
            meets &= scores <= wanted.high + APART
    if wanted.keys is not None:
        meets &= np.isin(table.keys, np.fromiter(wanted.keys, dtype=np.int64))
    return meets


def _means(table: ResultTable, scores: Floats, own: Bools, columns: NDArray[np.int64]) -> Floats:
    """Mean scores so far, shape (n_cases, n_arms); nan where there is none."""
    place = np.full(len(table.arms), -1, dtype=np.int64)
    place[columns] = np.arange(columns.size)
    rows = own & ~np.isnan(scores)
    at = table.case[rows] * columns.size + place[table.arm[rows]]
    size = len(table.cases) * columns.size
    sums = np.bincount(at, weights=scores[rows], minlength=size)
    counts = np.bincount(at, minlength=size)
    with np.errstate(invalid="ignore"):
        means = np.where(counts > 0, sums / counts, np.nan)
    return np.asarray(means.reshape(len(table.cases), columns.size), dtype=np.float64)


def _spread(means: Floats) -> Floats:
    """How far the arms lie apart on each case; 0 where fewer than two have a score."""
    if not means.size:
        return np.zeros(means.shape[0])
    highest = np.max(np.where(np.isnan(means), -np.inf, means), axis=1)
    lowest = np.min(np.where(np.isnan(means), np.inf, means), axis=1)
    return np.asarray(np.where(highest > lowest, highest - lowest, 0.0), dtype=np.float64)


def _repeat_spread(table: ResultTable, scores: Floats, own: Bools) -> Floats:
    """How far the repeats of one arm lie apart on each case, at most."""
    rows = own & ~np.isnan(scores)
    cells = table.case[rows] * len(table.arms) + table.arm[rows]
    size = len(table.cases) * len(table.arms)
    highest, lowest = np.full(size, -np.inf), np.full(size, np.inf)
    np.maximum.at(highest, cells, scores[rows])
    np.minimum.at(lowest, cells, scores[rows])
    apart = np.where(highest > lowest, highest - lowest, 0.0)
    shape = (len(table.cases), len(table.arms))
    return np.asarray(apart.reshape(shape).max(axis=1, initial=0.0), dtype=np.float64)


def _weights(
    table: ResultTable, order: str, means: Floats, spread: Floats, within: Floats
) -> Floats | None:
    """By which cases are ordered, the least first; None for the dataset's order."""
    if order == DATASET:
        return None
    if order == ARRIVAL:
        first = np.full(len(table.cases), np.inf)
        np.minimum.at(first, table.case, table.keys.astype(np.float64))
        return first
    if order == DIFFER:
        return -spread
    if order == REPEATS:
        return -within
    known = ~np.isnan(means)
    counts = known.sum(axis=1)
    with np.errstate(invalid="ignore"):
        mean = np.where(counts > 0, np.nansum(means, axis=1) / counts, np.nan)
    return np.asarray(mean if order == WORST else -mean, dtype=np.float64)
