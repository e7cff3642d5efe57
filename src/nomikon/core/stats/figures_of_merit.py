"""Figures that are no mean of case values: cost per good answer, percentiles of latency.

They are worked out anew in every resample of the cases; their intervals are the
percentiles of what comes out (Efron and Tibshirani 1993, chapter 13).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.resampling import resample_counts

Floats = NDArray[np.float64]
# Fewer cases say nothing of how the figure would vary.
FEWEST = 2
ONE_CASE = "one case says nothing of how it would vary"


@dataclass(frozen=True)
class Figure:
    """A figure with its interval; high is None where no upper end exists, why_null says why."""

    value: float | None
    low: float | None
    high: float | None
    why_null: str | None = None


def cost_per_good(
    costs: Floats, good: Floats, *, seed: int = 0, n_resamples: int = 10_000, level: float = 0.95
) -> list[Figure]:
    """All costs over the number of good answers, arm by arm.

    costs, good: shape (n_cases, n_arms), sums over the repeats of a case, 0 where an arm
    has none; all arms share the draws. The upper end is resampled with one case more of mean cost
    without a good answer, the lower with one that has as many as a case has repeats at most: few
    cases of which all or none were good do not fix the rate. A resample without a good answer
    costs without bound: where these reach into the upper tail there is no upper end.
    """
    n_cases, n_arms = costs.shape
    sums, goods = costs.sum(axis=0), good.sum(axis=0)
    if n_cases < FEWEST:
        nothing = np.empty(0)
        return [
            _ratio(float(sums[a]), float(goods[a]), (nothing, nothing), level)
            for a in range(n_arms)
        ]
    mean = costs.mean(axis=0)
    best, none = good.max(axis=0, initial=1.0), np.zeros(n_arms)
    ends = []
    for more in (best, none):
        both = np.concatenate([np.vstack([costs, mean]), np.vstack([good, more])], axis=1)
        found = []
        for counts in resample_counts(n_cases + 1, n_resamples=n_resamples, seed=seed):
            spent, had = np.split(counts @ both, 2, axis=1)
            with np.errstate(divide="ignore", invalid="ignore"):
                found.append(np.where(had > 0, spent / had, np.inf))
        ends.append(np.sort(np.concatenate(found), axis=0))
    lower, upper = ends
    return [
        _ratio(float(sums[a]), float(goods[a]), (lower[:, a], upper[:, a]), level)
        for a in range(n_arms)
    ]


def _ratio(spent: float, good: float, drawn: tuple[Floats, Floats], level: float) -> Figure:
    if good == 0:
        return Figure(None, None, None, "no answer is good")
    lower, upper = drawn
    if lower.size == 0:
        return Figure(spent / good, None, None, ONE_CASE)
    share = (1 - level) / 2
    # Order statistics: an infinite one must not be averaged with its neighbour.
    low = min(float(lower[_place(lower.size, share)]), spent / good)
    high = max(float(upper[_place(upper.size, 1 - share)]), spent / good)
    if not np.isfinite(high):
        return Figure(spent / good, low, None, "so few answers are good that there is no upper end")
    return Figure(spent / good, low, high)


def percentiles(
    values: Sequence[Floats],
    cases: Sequence[NDArray[np.int64]],
    n_cases: int,
    shares: Sequence[float],
    *,
    seed: int = 0,
    n_resamples: int = 2_000,
    level: float = 0.95,
) -> list[list[Figure]]:
    """For each arm and each share the least value that at least this share does not exceed.

    values, cases: for each arm its values and the case (0 … n_cases − 1) each belongs to;
    a drawn case brings all its values, and all arms share the draws. shares: within 0 and 1.
    """
    order = [np.argsort(v, kind="stable") for v in values]
    ordered = [v[o] for v, o in zip(values, order, strict=True)]
    owners = [c[o] for c, o in zip(cases, order, strict=True)]
    drawn: list[list[list[Floats]]] = [[[] for _ in shares] for _ in values]
    if n_cases >= FEWEST:
        for counts in resample_counts(n_cases, n_resamples=n_resamples, seed=seed):
            for arm, (own, owner) in enumerate(zip(ordered, owners, strict=True)):
                if own.size == 0:
                    continue
                reached = np.cumsum(counts[:, owner], axis=1)
                # A resample that holds none of an arm's cases says nothing of it.
                reached = reached[reached[:, -1] > 0]
                for place, share in enumerate(shares):
                    wanted = share * reached[:, -1:]
                    at = np.argmax(reached >= np.maximum(wanted - 1e-9, 1e-9), axis=1)
                    drawn[arm][place].append(own[at])
    tail = (1 - level) / 2
    return [
        [_percentile(own, share, drawn[arm][place], tail) for place, share in enumerate(shares)]
        for arm, own in enumerate(ordered)
    ]


def _percentile(own: Floats, share: float, drawn: list[Floats], tail: float) -> Figure:
    if own.size == 0:
        return Figure(None, None, None, "nothing was measured")
    value = float(own[_place(own.size, share)])
    if not drawn:
        return Figure(value, None, None, ONE_CASE)
    found = np.sort(np.concatenate(drawn))
    low, high = (float(found[_place(found.size, q)]) for q in (tail, 1 - tail))
    return Figure(value, low, high)


def _place(size: int, share: float) -> int:
    """Where the share-quantile stands among so many sorted values."""
    return min(size - 1, max(0, int(np.ceil(share * size - 1e-9)) - 1))
