"""Confidence intervals for a mean over cases, with their fall-backs."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

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


def adjusted_normal(differences: Floats, *, level: float = 0.95) -> tuple[float, float]:
    """Normal interval for a mean difference after adding one case each at +1 and −1.

    differences: shape (n,), each within −1 and 1. The two pseudo-cases keep the
    interval open where all differences are equal.
    Source: Agresti and Min (2005), Statistics in Medicine 24, 729–740.
    """
    padded = np.concatenate([differences, [1.0, -1.0]])
    z = float(ndtri(0.5 + level / 2))
    mean = float(padded.mean())
    half = z * float(padded.std(ddof=1)) / math.sqrt(padded.size)
    return max(-1.0, mean - half), min(1.0, mean + half)


def bca_usable(values: Floats) -> bool:
    """Whether there are enough cases, and enough off the commonest value, for BCa."""
    if values.size < BCA_MIN_CASES:
        return False
    # Values a hair apart (1/3 against 0.1 + 0.2 + 0.03…) count as one.
    _, counts = np.unique(np.round(values / TIE), return_counts=True)
    return bool(values.size - counts.max() >= BCA_MIN_OFF_COMMONEST)


def bca(values: Floats, resampled: Floats, *, level: float = 0.95) -> tuple[float, float]:
    """Bias-corrected and accelerated bootstrap interval for the mean.

    values: shape (n,). resampled: shape (n_resamples,), means of resamples.
    The acceleration of a mean is its skewness ÷ (6 √n).
    Source: Efron and Tibshirani (1993), section 14.3; equation 22.31 for the
    acceleration.
    """
    estimate = float(values.mean())
    below = np.count_nonzero(resampled < estimate - TIE)
    equal = np.count_nonzero(np.abs(resampled - estimate) <= TIE)
    share = float(below + equal / 2) / resampled.size
    share = min(max(share, 0.5 / resampled.size), 1 - 0.5 / resampled.size)
    z0 = float(ndtri(share))
    centred = values - estimate
    variance = float(np.mean(centred**2))
    skewness = float(np.mean(centred**3)) / float(variance**1.5) if variance > 0 else 0.0
    acceleration = skewness / (6 * math.sqrt(values.size))
    z = ndtri(np.array([0.5 - level / 2, 0.5 + level / 2]))
    adjusted = ndtr(z0 + (z0 + z) / (1 - acceleration * (z0 + z)))
    low, high = np.quantile(resampled, adjusted)
    return float(low), float(high)


def mean_interval(values: Floats, resampled: Floats, *, level: float = 0.95) -> Interval:
    """Interval for an arm's mean score: BCa where it is trusted, else Wilson on case means."""
    estimate = float(values.mean())
    if bca_usable(values):
        low, high = bca(values, resampled, level=level)
        return Interval(estimate, low, high, "bca")
    low, high = wilson(min(1.0, max(0.0, estimate)), values.size, level=level)
    return Interval(estimate, low, high, "wilson")


def difference_interval(differences: Floats, resampled: Floats, *, level: float = 0.95) -> Interval:
    """Interval for a paired mean difference: BCa where it is trusted, else adjusted normal."""
    estimate = float(differences.mean())
    if bca_usable(differences):
        low, high = bca(differences, resampled, level=level)
        return Interval(estimate, low, high, "bca")
    low, high = adjusted_normal(differences, level=level)
    return Interval(estimate, low, high, "adjusted-normal")
