"""Drift: whether an arm that is asked again on the same cases scores, costs or takes otherwise."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from nomikon.core.stats.intervals import difference_interval
from nomikon.core.stats.power import cases_needed, smallest_difference
from nomikon.core.stats.resampling import resampled_means
from nomikon.core.stats.signflip import sign_flip
from nomikon.core.stats.sources import units_by_case

# All planned checks of a watch together raise a false alarm in at most this share of watches.
ALPHA = 0.05
# What is watched: each has its part of the level. TWINS only where the scorecard has them asked.
SCORE, COST, TIME, TWINS = "score", "cost", "time", "twins"
WATCHED = (SCORE, COST, TIME)
FEWEST = 2
# These lie from 0 to 1.
_SHARES = (SCORE, TWINS)
# All answers of one run share how busy the server was just then, which no test of cases sees: a
# change of time is a drift only from half as long again (or down by a third) on, by the end of its
# interval that lies nearest to none. By ratio: a doubling is one at 50 ms as at 50 s. Under
# LEAST_CHANGE_MS it is the network's own jitter, and no model's.
TIME_RATIO, LEAST_CHANGE_MS = 1.5, 20.0
# A time below this is none that a clock tells apart.
LEAST_MS = 0.1


@dataclass(frozen=True)
class Drift:
    """before, now: means over the shared cases, of a time geometric ones; change = now − before with
    its interval.

    level: what p is held to. drifted: whether p is at most that, and of a time whether it also
    changed by as much as matters. Figures are None where
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


def level_of_check(planned: int, things: int = len(WATCHED)) -> float:
    """What each test of one check is held to: 0.05 ÷ (planned checks × things watched).

    By Bonferroni the checks that were planned, all together, raise a false alarm with a
    chance of at most 0.05. Raises ValueError below one check.

    >>> round(level_of_check(10), 4)
    0.0017
    """
    if planned < 1:
        raise ValueError("a watch plans at least one check")
    return ALPHA / (planned * things)


def fewest_cases(planned: int, things: int = len(WATCHED)) -> int:
    """With fewer cases no test of a check can raise an alarm, whatever happens.

    All n cases falling alike has p = 2 ÷ 2ⁿ, which must be at most the level.

    >>> fewest_cases(12)
    11
    """
    return math.ceil(math.log2(2 / level_of_check(planned, things)) - 1e-9)


def smallest_fall(
    spread: float, n_cases: int, planned: int, things: int = len(WATCHED)
) -> float | None:
    """The fall of the score that one check of so many sees in 80 of 100 watches.

    spread: standard deviation of a case's score between two runs, above 0. None where no fall is
    seen: fewer cases than `fewest_cases`, or one beyond what scores can fall.
    """
    if n_cases < fewest_cases(planned, things):
        return None
    fall = smallest_difference(spread, n_cases, level=level_of_check(planned, things))
    return fall if fall <= 1 else None


def cases_for_fall(spread: float, fall: float, planned: int, things: int = len(WATCHED)) -> int:
    """How many cases a watch of so many checks needs to see a fall in 80 of 100.

    spread as for `smallest_fall`; fall: above 0.
    """
    needed = cases_needed(spread, fall, level=level_of_check(planned, things)) or 0
    return max(needed, fewest_cases(planned, things))


def drift(
    before: Mapping[str, float],
    now: Mapping[str, float],
    *,
    planned: int,
    things: int = len(WATCHED),
    what: str = SCORE,
    sources: Mapping[str, str] | None = None,
    seed: int = 0,
    n_resamples: int = 10_000,
) -> Drift:
    """Compare case by case: before and now map a case to its mean over repeats.

    things: how many are watched. what: score, cost, time or twins, which decides on the scale. sources: what cases come from, where
    some share it. Cases that one of them lacks are left
    out. The test is the sign-flip test on case differences; the interval has the level of
    the test and from fewer than 30 cases leaves out 0 just where the test finds a drift; from 30
    on (BCa) the test decides. That of a cost is worked out in units of its former mean, that of a
    time in logarithms, case by case: its end points are ratios.
    """
    level = level_of_check(planned, things)
    shared = sorted(before.keys() & now.keys())
    if len(shared) < FEWEST:
        why = f"{len(shared)} cases have a value before and now; {FEWEST} are needed"
        return Drift(len(shared), None, None, None, None, None, None, level, False, why)
    old = np.array([before[c] for c in shared], dtype=np.float64)
    new = np.array([now[c] for c in shared], dtype=np.float64)
    if what == TIME:
        old, new = (np.log(np.maximum(v, LEAST_MS)) for v in (old, new))
    # Scores lie within 0 and 1 and are their own unit, logarithms too; a cost is told in units of
    # its mean.
    mean = float(old.mean())
    unit = 1.0 if what != COST or mean == 0.0 else mean
    apart = (new - old) / unit
    # The smallest p that random signs can give must lie well under the level.
    flips = max(n_resamples, round(10 / level))
    units = units_by_case(apart, shared, sources)
    test = sign_flip(units.sums[:, 0], seed=seed, n_resamples=flips)
    drawn = resampled_means(units.means, sizes=units.sizes, n_resamples=n_resamples, seed=seed)
    # Costs and times have no bound: nothing beyond twice the greatest change is reckoned with.
    bound = 1.0 if what in _SHARES else 2 * float(np.abs(apart).max()) or 1.0
    interval = difference_interval(
        units.means[:, 0],
        drawn[:, 0],
        test.p,
        level=1 - level,
        bound=bound,
        sizes=units.sizes,
        seed=seed,
    )
    low, high = interval.low * unit, interval.high * unit
    was, now_ = float(old.mean()), float(new.mean())
    change = interval.estimate * unit
    drifted = test.p <= level
    if what == TIME:
        drifted = drifted and max(low, -high) >= math.log(TIME_RATIO)
        was, now_ = math.exp(was), math.exp(now_)
        low, high, change = (_in_ms(was, end) for end in (low, high, change))
        drifted = drifted and max(low, -high) >= LEAST_CHANGE_MS
    return Drift(len(shared), was, now_, change, low, high, test.p, level, drifted)


def _in_ms(before: float, log_ratio: float) -> float:
    """The change in milliseconds that a ratio, as its logarithm, makes of the time before."""
    return before * math.expm1(log_ratio)
