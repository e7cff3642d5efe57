"""Scores of a table: means with intervals, comparisons, thresholds, the credible set, effects."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nomikon.core.measures import TOTAL
from nomikon.core.results.table import Floats, ResultTable, remembered
from nomikon.core.stats.compare import (
    ArmSummary,
    ComparisonResult,
    PairComparison,
    compare_means,
    untested,
)
from nomikon.core.stats.credible import CredibleSet, credible_set
from nomikon.core.stats.effects import Effects, FactorRow, effects_of
from nomikon.core.stats.means import means_in, places
from nomikon.core.stats.thresholds import threshold_state

NOT_COMPLETE = "the trial is not complete"
NO_OUTPUT = "no output was had"


@dataclass(frozen=True)
class Held:
    """An arm held to a threshold. rule: at least or at most; state: met, missed or unsure."""

    arm: str
    measure: str
    rule: str
    needed: float
    mean: float | None
    low: float | None
    high: float | None
    state: str
    why_null: str | None


@remembered
def matrix(
    table: ResultTable, measure: str = TOTAL, missing: str = "drop"
) -> tuple[list[str], list[str], Floats]:
    """Arms that have an output, counted cases, and means of shape (n_cases, n_arms), nan missing.

    Of a table that is not complete a case stands for what its repeats have come to so far.
    """
    counted = table.counted
    arm, case, repeat = table.arm[counted], table.case[counted], table.repeat[counted]
    if not arm.size:
        return [], [], np.empty((0, 0))
    of_arms, arm = np.unique(arm, return_inverse=True)
    of_cases, first, case = np.unique(case, return_index=True, return_inverse=True)
    # In the order in which they are first met, as the trial has them.
    order = np.argsort(first)
    rank = np.empty_like(order)
    rank[order] = np.arange(order.size)
    of_repeats, repeat = np.unique(repeat, return_inverse=True)
    shape = (of_arms.size, of_cases.size, of_repeats.size)
    values, given = np.full(shape, np.nan), np.zeros(shape, dtype=np.bool_)
    at = (arm, rank[case], repeat)
    values[at] = table.column(measure)[counted]
    given[at] = True
    means = means_in(values, given, missing=missing, so_far=not table.complete)
    arms = [table.arms[i] for i in of_arms]
    return arms, [table.cases[i] for i in of_cases[order]], means


@remembered
def compared(
    table: ResultTable, measure: str = TOTAL, against: str | None = None
) -> ComparisonResult | None:
    """Means and intervals of the arms, with `against` each other one against it.

    None before the first output. An unfinished trial is estimated, never tested.
    """
    arms, cases, means = matrix(table, measure)
    if not arms or (against is not None and against not in arms):
        return None
    found = compare_means(
        arms,
        means,
        against=against,
        family=table.family(against),
        sources=table.sources_of(cases),
        margin=table.card.margin,
        alpha=table.alpha,
        with_pairs=against is not None,
        known=_resampled(table, measure),
    )
    return found if table.complete else untested(found)


@remembered
def _resampled(table: ResultTable, measure: str) -> dict[bytes, Floats]:
    """Resampled means of a measure, filled by the first comparison for those that come after it."""
    return {}


def arm_figures(table: ResultTable, measure: str = TOTAL) -> dict[str, ArmSummary]:
    """Every arm's mean with its interval; an arm without an output has none."""
    found = compared(table, measure)
    own = {a.arm: a for a in found.arms} if found else {}
    nothing = ArmSummary("", 0, 0, None, None, None, None, None, NO_OUTPUT)
    return {a: own.get(a) or replace(nothing, arm=a) for a in table.arms}


@remembered
def means_as_zero(table: ResultTable) -> dict[str, float]:
    """The mean of each arm that misses a score, with every missing one counted 0 instead."""
    arms, _, means = matrix(table, TOTAL, "zero")
    counted = table.counted
    missing = np.isnan(table.column(TOTAL)) & counted
    short = {table.arms[i] for i in np.unique(table.arm[missing])}
    return {
        arm: float(np.nanmean(means[:, at]))
        for at, arm in enumerate(arms)
        if arm in short and not np.isnan(means[:, at]).all()
    }


def thresholds(
    table: ResultTable, measure: str, limits: Mapping[str, float], arm: str | None = None
) -> list[Held]:
    """Each arm (or the one that is named) held to one threshold by its interval.

    limits: at_least or at_most, by that name.
    """
    ((rule, needed),) = limits.items()
    return [
        Held(
            name,
            measure,
            rule.replace("_", " "),
            needed,
            a.mean,
            a.low,
            a.high,
            threshold_state(_unseen_low(a, measure), a.high, **limits),
            a.why_null if a.mean is None else None,
        )
        for name, a in arm_figures(table, measure).items()
        if arm in (None, name)
    ]


def _unseen_low(arm: ArmSummary, measure: str) -> float | None:
    """The lower end of a total, were as many cases lost whole as could go unseen."""
    if arm.low is None or arm.unseen_loss is None or measure != TOTAL:
        return arm.low
    return arm.low * (1 - arm.unseen_loss)


def beaten(table: ResultTable, arm: str, level: float) -> PairComparison | None:
    """The comparison in which another arm beats this one by most, tested at a level; None for none."""
    found = compared(table, TOTAL, arm)
    better = [
        c
        for c in (found.comparisons if found else [])
        if c.difference is not None
        and c.difference > 0
        and c.p_holm is not None
        and c.p_holm <= level
    ]
    return max(better, key=lambda c: c.difference or 0.0, default=None)


def case_scores(table: ResultTable, arm: str, measure: str = TOTAL) -> dict[str, float]:
    """One arm's mean score of every case that it answered whole."""
    arms, cases, means = matrix(table, measure)
    if arm not in arms:
        return {}
    own = means[:, arms.index(arm)]
    return {c: float(m) for c, m in zip(cases, own, strict=True) if not np.isnan(m)}


def differences(table: ResultTable, a: str, b: str) -> dict[str, float]:
    """a − b by case, where both answered."""
    left, right = case_scores(table, a), case_scores(table, b)
    return {case: left[case] - right[case] for case in left if case in right}


@remembered
def scored_as_zero(table: ResultTable, a: str, b: str) -> PairComparison | None:
    """a against b with every missing score counted 0 instead; None where none is missing."""
    rows = table.counted & np.isin(table.arm, [table.arms.index(x) for x in (a, b)])
    if not np.isnan(table.column(TOTAL)[rows]).any():
        return None
    arms, cases, means = matrix(table, TOTAL, "zero")
    if a not in arms or b not in arms:
        return None
    both = means[:, [arms.index(a), arms.index(b)]]
    ran: NDArray[np.bool_] = np.any(~np.isnan(both), axis=1)
    found = compare_means(
        [a, b],
        both[ran],
        against=b,
        sources=table.sources_of([cases[i] for i in np.flatnonzero(ran)]),
        margin=table.card.margin,
        alpha=table.alpha,
    )
    return found.comparisons[0]


@remembered
def _credible(table: ResultTable) -> tuple[list[str], CredibleSet]:
    arms, cases, means = matrix(table)
    kept = [i for i, a in enumerate(arms) if a not in table.dropped]
    if not kept:
        return [], credible_set(np.zeros((0, 0)))
    own = means[:, kept]
    whole: NDArray[np.bool_] = np.all(~np.isnan(own), axis=1)
    named = table.sources_of([cases[i] for i in np.flatnonzero(whole)])
    found = credible_set(own[whole], sources=None if named is None else places(named)[1])
    return [arms[i] for i in kept], found


def credible(table: ResultTable) -> list[str]:
    """Arms that no rival beats; arms that left a race are beaten."""
    arms, found = _credible(table)
    return [arms[i] for i in found.members]


def shown_ahead(table: ResultTable) -> dict[str, list[str]]:
    """The arms that each arm is shown to be ahead of, all of them taken into account at once."""
    arms, found = _credible(table)
    return {arm: [arms[j] for j in np.flatnonzero(found.beats[i])] for i, arm in enumerate(arms)}


def all_at_once(table: ResultTable, against: str) -> dict[str, float]:
    """Half widths, by arm, of the intervals that hold for the differences of all arms together.

    Worked out on the cases that every arm has; an arm that left a race has none.
    """
    arms, found = _credible(table)
    if against not in arms:
        return {}
    half: NDArray[np.float64] = found.half_widths[:, arms.index(against)]
    return {a: float(h) for a, h in zip(arms, half, strict=True) if h > 0}


@remembered
def effects(table: ResultTable, factors: tuple[tuple[str, str, str], ...]) -> Effects:
    """How much of the spread is due to what, among the arms that were run to the end.

    factors: version, model and settings of each arm, in the table's order.
    """
    total = table.column(TOTAL)
    rows = []
    for i in np.flatnonzero(table.counted):
        arm = table.arm[i]
        if table.arms[arm] in table.dropped:
            continue
        version, model, settings = factors[arm]
        score = None if np.isnan(total[i]) else float(total[i])
        case, repeat = table.cases[table.case[i]], int(table.repeat[i])
        rows.append(FactorRow(version, model, settings, case, repeat, score))
    return effects_of(rows, sources=table.sources)
