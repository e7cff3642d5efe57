"""Confidence intervals for a mean over cases, with their fall-backs."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

from nomikon.core.stats.betting import betting_interval
from nomikon.core.stats.inverting import inverted_interval, off_commonest

Floats = NDArray[np.float64]

# BCa is trusted from this many cases on, and only where enough cases differ
# from the commonest value; below, its coverage drops.
BCA_MIN_CASES = 30
BCA_MIN_OFF_COMMONEST = 10
TIE = 1e-9


@dataclass(frozen=True)
class Interval:
    """An estimate with its interval, and the method that gave it."""

    estimate: float
    low: float
    high: float
    method: str


def wilson(mean: float, n: int, *, level: float = 0.95) -> tuple[float, float]:
    """Wilson score interval for a mean of n values within 0 and 1.

    For pass/fail values this is Wilson's interval for a share; for graded
    values it is wider than needed, never narrower.
    Source: Wilson (1927), JASA 22, 209–212.

    >>> [round(v, 3) for v in wilson(0.5, 10)]
    [0.237, 0.763]
    """
    z = float(ndtri(0.5 + level / 2))
    centre = (mean + z * z / (2 * n)) / (1 + z * z / n)
    spread = mean * (1 - mean) / n + z * z / (4 * n * n)
    half = z / (1 + z * z / n) * math.sqrt(max(spread, 0.0))
    # At the ends the bound is 0 or 1 exactly; rounding must not push it past.
    low = 0.0 if mean <= 0 else max(0.0, centre - half)
    high = 1.0 if mean >= 1 else min(1.0, centre + half)
    return low, high


def bca_usable(values: Floats) -> bool:
    """Whether there are enough cases, and enough off the commonest value, for BCa."""
    return values.size >= BCA_MIN_CASES and off_commonest(values) >= BCA_MIN_OFF_COMMONEST


def bca(
    values: Floats, resampled: Floats, *, level: float = 0.95, sizes: Floats | None = None
) -> tuple[float, float]:
    """Bias-corrected and accelerated bootstrap interval for the mean.

    values: shape (n,). resampled: shape (n_resamples,), means of resamples. sizes: how many
    cases each value is the mean of, where sources were resampled and not cases.
    The acceleration of a mean is its skewness ÷ (6 √n).
    Source: Efron and Tibshirani (1993), section 14.3; equation 22.31 for the
    acceleration.
    """
    estimate = float(np.average(values, weights=sizes))
    below = np.count_nonzero(resampled < estimate - TIE)
    equal = np.count_nonzero(np.abs(resampled - estimate) <= TIE)
    share = float(below + equal / 2) / resampled.size
    share = min(max(share, 0.5 / resampled.size), 1 - 0.5 / resampled.size)
    z0 = float(ndtri(share))
    centred = values - estimate if sizes is None else sizes * (values - estimate)
    variance = float(np.mean(centred**2))
    skewness = float(np.mean(centred**3)) / float(variance**1.5) if variance > 0 else 0.0
    acceleration = skewness / (6 * math.sqrt(values.size))
    z = ndtri(np.array([0.5 - level / 2, 0.5 + level / 2]))
    adjusted = ndtr(z0 + (z0 + z) / (1 - acceleration * (z0 + z)))
    low, high = np.quantile(resampled, adjusted)
    return float(low), float(high)


def mean_interval(
    values: Floats, resampled: Floats, *, level: float = 0.95, sizes: Floats | None = None
) -> Interval:
    """Interval for an arm's mean score, values within 0 and 1.

    BCa where it is trusted; else Wilson's for pass/fail and a betting interval for graded values.
    sizes: how many cases each value is the mean of, where it is that of a source.
    """
    estimate = float(np.average(values, weights=sizes))
    if bca_usable(values):
        low, high = bca(values, resampled, level=level, sizes=sizes)
        return Interval(estimate, low, high, "bca")
    if sizes is None and bool(np.all(np.minimum(np.abs(values), np.abs(values - 1.0)) <= TIE)):
        low, high = wilson(min(1.0, max(0.0, estimate)), values.size, level=level)
        return Interval(estimate, low, high, "wilson")
    low, high = betting_interval(values, level=level, sizes=sizes)
    return Interval(estimate, low, high, "betting")


def difference_interval(
    differences: Floats,
    resampled: Floats,
    p: float,
    *,
    level: float = 0.95,
    bound: float = 1.0,
    sizes: Floats | None = None,
    seed: int = 0,
) -> Interval:
    """Interval for a paired mean difference.

    p: of its sign-flip test. bound: the most a case's difference can be. BCa where it is
    trusted; else the test inverted, so that 0 is left out exactly where p is at most 1 − level.
    sizes: how many cases each difference is the mean of, where it is that of a source.
    """
    estimate = float(np.average(differences, weights=sizes))
    if bca_usable(differences):
        low, high = bca(differences, resampled, level=level, sizes=sizes)
        return Interval(estimate, low, high, "bca")
    low, high = inverted_interval(differences, p, level=level, bound=bound, sizes=sizes, seed=seed)
    return Interval(estimate, low, high, "inverted")
