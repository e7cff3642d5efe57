"""Drift: whether an arm that is asked again on the same cases scores or costs otherwise than before."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from nomikon.core.stats.intervals import difference_interval
from nomikon.core.stats.resampling import resampled_means
from nomikon.core.stats.signflip import sign_flip

# All planned checks of a watch together raise a false alarm in at most this share of watches.
ALPHA = 0.05
# What is watched: each has its part of the level.
SCORE, COST = "score", "cost"
WATCHED = (SCORE, COST)
FEWEST = 2


@dataclass(frozen=True)
class Drift:
    """before, now: means over the shared cases; change = now − before with its interval.

    level: what p is held to. drifted: whether p is at most that. Figures are None where
    fewer than two cases have both values; why_null says so.
    """

    n_cases: int
    before: float | None
    now: float | None
    change: float | None
    low: float | None
    high: float | None
    p: float | None
    level: float
    drifted: bool
    why_null: str | None = None


def level_of_check(planned: int) -> float:
    """What each test of one check is held to: 0.05 ÷ (planned checks × things watched).

    By Bonferroni the checks that were planned, all together, raise a false alarm with a
    chance of at most 0.05. Raises ValueError below one check.

    >>> round(level_of_check(10), 4)
    0.0025
    """
    if planned < 1:
        raise ValueError("a watch plans at least one check")
    return ALPHA / (planned * len(WATCHED))


def drift(
    before: Mapping[str, float],
    now: Mapping[str, float],
    *,
    planned: int,
    what: str = SCORE,
    seed: int = 0,
    n_resamples: int = 10_000,
) -> Drift:
    """Compare case by case: before and now map a case to its mean over repeats.

    what: score or cost, which decides on the scale. Cases that one of them lacks are left
    out. The test is the sign-flip test on case differences; the interval has the level of
    the test, so that it excludes 0 where the test finds a drift, but for their different
    methods. The interval of a cost is worked out in units of its former mean.
    """
    level = level_of_check(planned)
    shared = sorted(before.keys() & now.keys())
    if len(shared) < FEWEST:
        why = f"{len(shared)} cases have a value before and now; {FEWEST} are needed"
        return Drift(len(shared), None, None, None, None, None, None, level, False, why)
    old = np.array([before[c] for c in shared], dtype=np.float64)
    new = np.array([now[c] for c in shared], dtype=np.float64)
    # Scores lie within 0 and 1 and are their own unit; costs are told in units of their mean.
    mean = float(old.mean())
    unit = 1.0 if what == SCORE or mean == 0.0 else mean
    apart = (new - old) / unit
    # The smallest p that random signs can give must lie well under the level.
    flips = max(n_resamples, round(10 / level))
    test = sign_flip(apart, seed=seed, n_resamples=flips)
    drawn = resampled_means(apart[:, None], n_resamples=n_resamples, seed=seed)[:, 0]
    interval = difference_interval(apart, drawn, level=1 - level)
    return Drift(
        len(shared),
        float(old.mean()),
        float(new.mean()),
        interval.estimate * unit,
        interval.low * unit,
        interval.high * unit,
        test.p,
        level,
        test.p <= level,
    )
