"""Figures that are no mean of case values: cost per good answer, percentiles of latency.

They are worked out anew in every resample of the cases; their intervals are the
percentiles of what comes out (Efron and Tibshirani 1993, chapter 13).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.resampling import resample_counts

Floats = NDArray[np.float64]
# Fewer cases say nothing of how the figure would vary.
FEWEST = 2


@dataclass(frozen=True)
class Figure:
    """A figure with its interval; high is None where no upper end exists, why_null says why."""

    value: float | None
    low: float | None
    high: float | None
    why_null: str | None = None


def cost_per_good(
    costs: Floats, good: Floats, *, seed: int = 0, n_resamples: int = 10_000, level: float = 0.95
) -> Figure:
    """All costs over the number of good answers.

    costs, good: shape (n_cases,), sums over the repeats of a case. A resample without a
    good answer costs without bound: where these reach into the upper tail there is no
    upper end.
    """
    total = float(good.sum())
    if total == 0:
        return Figure(None, None, None, "no answer is good")
    value = float(costs.sum()) / total
    if costs.size < FEWEST:
        return Figure(value, None, None, "one case says nothing of how it would vary")
    both = np.column_stack([costs, good])
    found = []
    for counts in resample_counts(costs.size, n_resamples=n_resamples, seed=seed):
        sums = counts @ both
        with np.errstate(divide="ignore", invalid="ignore"):
            found.append(np.where(sums[:, 1] > 0, sums[:, 0] / sums[:, 1], np.inf))
    drawn = np.sort(np.concatenate(found))
    share = (1 - level) / 2
    # Order statistics: an infinite one must not be averaged with its neighbour.
    low, high = (float(drawn[_place(drawn.size, q)]) for q in (share, 1 - share))
    if not np.isfinite(high):
        return Figure(value, low, None, "so few answers are good that there is no upper end")
    return Figure(value, low, high)


def percentile(
    values: Floats,
    case: NDArray[np.int64],
    share: float,
    *,
    seed: int = 0,
    n_resamples: int = 2_000,
    level: float = 0.95,
) -> Figure:
    """The least value that at least this share of all values does not exceed.

    values, case: shape (n_values,), a value and the case (from 0) it belongs to; a
    drawn case brings all its values. share: within 0 and 1.
    """
    if values.size == 0:
        return Figure(None, None, None, "nothing was measured")
    order = np.argsort(values, kind="stable")
    ordered, owner = values[order], case[order]
    n_cases = int(case.max()) + 1
    value = float(ordered[_place(ordered.size, share)])
    if n_cases < FEWEST:
        return Figure(value, None, None, "one case says nothing of how it would vary")
    found = []
    for counts in resample_counts(n_cases, n_resamples=n_resamples, seed=seed):
        reached = np.cumsum(counts[:, owner], axis=1)
        wanted = share * reached[:, -1:]
        found.append(ordered[np.argmax(reached >= wanted - 1e-9, axis=1)])
    drawn = np.sort(np.concatenate(found))
    tail = (1 - level) / 2
    low, high = (float(drawn[_place(drawn.size, q)]) for q in (tail, 1 - tail))
    return Figure(value, low, high)


def _place(size: int, share: float) -> int:
    """Where the share-quantile stands among so many sorted values."""
    return min(size - 1, max(0, int(np.ceil(share * size - 1e-9)) - 1))
