"""One arm in two trials: on the same cases case by case, on others as two samples."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from nomikon.core.stats.compare import compare_means
from nomikon.core.stats.gap import gap_of_gains

# Of the smaller set so many must be in both for the cases to count as the same.
SAME_FROM = 0.5


@dataclass(frozen=True)
class Beside:
    """How an arm scored in one trial, less how it scored in another.

    paired: whether over the cases that both have (n_common), else over all of both as two samples.
    difference, low, high: the mean and its 95 % interval; None where there is nothing to compare.
    """

    n: int
    n_other: int
    n_common: int
    paired: bool
    mean: float | None
    other_mean: float | None
    difference: float | None
    low: float | None
    high: float | None


def beside(own: Mapping[str, float], other: Mapping[str, float]) -> Beside:
    """own, other: the arm's score, 0 to 1, of every case of either trial, by the case.

    It describes and decides nothing: no test is corrected for. The paired interval is that of
    every comparison of arms; that of two samples is the one of `gap_of_gains`.
    """
    common = [case for case in own if case in other]
    means = [float(np.mean(list(x.values()))) if x else None for x in (own, other)]
    sizes = len(own), len(other), len(common)
    paired = bool(common) and len(common) >= SAME_FROM * min(len(own), len(other))
    if paired:
        scores = np.array([[own[c], other[c]] for c in common])
        found = compare_means(["own", "other"], scores, against="other").comparisons[0]
        shared = float(scores[:, 0].mean()), float(scores[:, 1].mean())
        return Beside(*sizes, True, *shared, found.difference, found.low, found.high)
    gap = gap_of_gains(np.array(list(own.values())), np.array(list(other.values())))
    return Beside(*sizes, False, means[0], means[1], gap.gap, gap.low, gap.high)
