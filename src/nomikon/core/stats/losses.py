"""Answers lost whole (refused, cut, stopped by a gate): rare ones that a trial may not have met."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.special import betaincinv

from nomikon.core.stats.signflip import TIE

Floats = NDArray[np.float64]

# Seen so often, their share is told by the interval like everything else.
RARE = 3
SURE = 0.95


class Losses(NamedTuple):
    """seen: cases lost whole. unseen: the share of cases that could be lost without more having
    shown, at one-sided 95 %; None where three or more were seen."""

    seen: int
    unseen: float | None


def losses(scores: Floats, effective: float | None = None, *, than: Floats | None = None) -> Losses:
    """Cases that score 0, and how many could without its having shown.

    scores: shape (n,), within 0 and 1. than: another arm's scores on the same cases; then a case
    counts that is lost here and not there. effective: how many unrelated cases they count as.
    The bound is Clopper and Pearson's (1934, Biometrika 26, 404–413); where none was seen
    it is nearly 3 ÷ n, the rule of three (Hanley and Lippman-Hand 1983, JAMA 249, 1743–1745).

    >>> losses(np.array([0.8] * 40)).unseen.__round__(3)
    0.072
    """
    lost = scores <= TIE
    if than is not None:
        lost &= than > TIE
    seen = int(np.count_nonzero(lost))
    if seen >= RARE or scores.size == 0:
        return Losses(seen, None)
    n = max(seen + 1.0, min(float(scores.size), effective or float(scores.size)))
    if n - seen <= 0:
        return Losses(seen, 1.0)
    return Losses(seen, float(betaincinv(seen + 1, n - seen, SURE)))
