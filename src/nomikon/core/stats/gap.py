"""Working against held-out gain: was a version tuned too closely to the cases it was made on?"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from nomikon.core.stats.betting import Bets
from nomikon.core.stats.inverting import steady
from nomikon.core.stats.sources import Units, codes_of, units_of

Floats = NDArray[np.float64]

TOO_CLOSELY, NOT_TOO_CLOSELY, CANNOT_TELL = "too closely", "not too closely", "cannot tell"
FEWEST_STEADY = 30
GRID = 400
STEPS = 18


@dataclass(frozen=True)
class Gap:
    """gap = working − held-out gain with its interval; reading in one of three words.

    Figures are None where a set has no case; why_null says so.
    """

    working: float | None
    held_out: float | None
    gap: float | None
    low: float | None
    high: float | None
    reading: str
    why_null: str | None = None


def gap_of_gains(
    working: Floats,
    held_out: Floats,
    *,
    margin: float = 0.05,
    level: float = 0.95,
    sources: tuple[Sequence[str] | None, Sequence[str] | None] = (None, None),
) -> Gap:
    """The gain on working cases less the gain on held-out ones.

    working, held_out: shapes (n,) and (m,), child − parent per case, each within −1 and 1.
    margin: how much of a gap does not matter. sources: of the cases of either, where some share
    one; sources are then the units, and it takes 30 of them for Welch's. It reads *too closely* where the interval lies
    above 0, *not too closely* where it shows the gap to be no more than the margin, else
    *cannot tell*. With 30 steady gains on both sides (not skewed, ten or more off the commonest) the
    interval is Welch's for two samples (1947, Biometrika 34, 28–35). Else it holds the true gap with
    a chance of at least `level` whatever the two sets are distributed like: bets against both means at once, the capitals multiplied, for
    every pair of means that are so far apart (Waudby-Smith and Ramdas 2024, JRSS B 86, 1–27,
    section 4.4; products of independent e-values: Vovk and Wang 2021, Annals of Statistics 49).
    """
    means = [float(x.mean()) if x.size else None for x in (working, held_out)]
    if working.size == 0 or held_out.size == 0:
        why = (
            "there are no held-out cases with a score"
            if working.size
            else "no working case has a score"
        )
        return Gap(means[0], means[1], None, None, None, CANNOT_TELL, why)
    gap = float(working.mean() - held_out.mean())
    own = [
        units_of(x[:, None], codes_of(names))
        for x, names in zip((working, held_out), sources, strict=True)
    ]
    if all(len(u.means) >= FEWEST_STEADY and steady(u.means[:, 0]) for u in own):
        half = _welch(own[0], own[1], level)
        low, high = gap - half, gap + half
    else:
        low = min(gap, _least_gap(own[0], own[1], level))
        high = max(gap, -_least_gap(own[1], own[0], level))
    reading = TOO_CLOSELY if low > 0 else NOT_TOO_CLOSELY if high <= margin else CANNOT_TELL
    return Gap(means[0], means[1], gap, low, high, reading)


def _welch(a: Units, b: Units, level: float) -> float:
    """Half the width of the interval for the difference of two means."""
    apart = [u.apart[:, 0] for u in (a, b)]
    parts = [float((x**2).sum()) / (x.size - 1) / x.size for x in apart]
    freedom = sum(parts) ** 2 / sum(v * v / (x.size - 1) for v, x in zip(parts, apart, strict=True))
    return float(stdtrit(freedom, 0.5 + level / 2)) * math.sqrt(sum(parts))


def _least_gap(above: Units, below: Units, level: float) -> float:
    """The least gap of two means, above − below, that both sets together do not speak against."""
    # Gains lie within −1 and 1, bets on values within 0 and 1: a gap there is half as wide.
    up = Bets((np.clip(above.means[:, 0], -1, 1) + 1) / 2, level, above.sizes)
    down = Bets((1 - np.clip(below.means[:, 0], -1, 1)) / 2, level, below.sizes)
    limit = math.log(2 / (1 - level))
    places = np.linspace(0.0, 1.0, GRID + 1)
    rises = np.array([_half_kept(up.log_capital(m)) for m in places])
    falls = np.array([_half_kept(down.log_capital(1 - m)) for m in places])

    def against(gap: float) -> bool:
        """Whether every pair of means with this gap would have made the better rich."""
        lower = places[(places >= -gap) & (places <= 1 - gap)]
        if not lower.size:
            return True
        # Both curves are monotone: between places of the grid they are bounded by its ends.
        step = 1.0 / GRID
        won = np.interp(np.minimum(lower + gap + step, 1.0), places, rises)
        return bool(np.min(won + np.interp(lower, places, falls)) >= limit)

    low, high = -1.0, 1.0
    for _ in range(STEPS):
        middle = (low + high) / 2
        if against(middle):
            low = middle
        else:
            high = middle
    return 2 * low


def _half_kept(log_capital: float) -> float:
    """The capital when half of it is never bet, so that one side cannot lose what the other wins."""
    return float(np.logaddexp(0.0, log_capital) - math.log(2))
