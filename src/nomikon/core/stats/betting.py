"""Intervals for the mean of bounded values that hold at any number of cases, by betting.

Against each value the mean might have, money is bet on every case in turn; a fair game
multiplies it by so much only with a small chance, so means that would have made the
better that rich are left out. Nothing is assumed but that values are bounded.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

# Cases are bet on in several seeded orders and the capital averaged, so that the order
# in which they were given decides nothing. With many cases one order is like another.
ORDERS, MOST_BETS = 24, 24_000
# No bet may lose more than this share of the capital.
CAUTION = 0.9
STEPS = 26


def betting_interval(
    values: Floats,
    *,
    level: float = 0.95,
    least: float = 0.0,
    most: float = 1.0,
    sizes: Floats | None = None,
) -> tuple[float, float]:
    """Interval for the mean of values that are known to lie within least and most.

    values: shape (n,), n at least 1; their order does not matter. It holds the true mean with a
    chance of at least `level` for every distribution within the bounds, and holds the values'
    own mean. sizes: how many cases each value is the mean of, where it is that of a source;
    the mean is then that of the cases, and sources are the units.
    Source: Waudby-Smith and Ramdas (2024), JRSS B 86, 1–27, section 4.4 (hedged capital with
    predictable plug-in bets for a fixed number of values), averaged over orders.

    >>> low, high = betting_interval(np.ones(40))
    >>> round(low, 3), high
    (0.903, 1.0)
    """
    scaled = np.clip((values - least) / (most - least), 0.0, 1.0)
    mean = float(np.average(scaled, weights=sizes))
    limit = math.log(2 / (1 - level))
    low = _end(Bets(scaled, level, sizes), mean, limit)
    high = 1.0 - _end(Bets(1.0 - scaled, level, sizes), 1.0 - mean, limit)
    width = most - least
    return least + width * min(low, mean), least + width * max(high, mean)


class Bets:
    """The bets that a mean is higher than supposed, on values within 0 and 1 in several orders."""

    def __init__(self, values: Floats, level: float, sizes: Floats | None = None) -> None:
        n = values.size
        orders = max(1, min(ORDERS, MOST_BETS // n))
        weights = np.ones(n) if sizes is None else sizes / sizes.max()
        rng = np.random.default_rng(0)
        # The same values in whatever order they were given.
        sort = np.lexsort((weights, values))
        places = rng.permuted(np.tile(sort, (orders, 1)), axis=1)
        self.values, self.weights = values[places], weights[places]
        self.stakes = _stakes(self.values, level)

    def log_capital(self, mean: float) -> float:
        """Log of what 1 has become, were this the true mean; falls as it rises."""
        if mean <= 0.0:
            return math.inf if self.values.max() > 0 else 0.0
        stakes = np.minimum(self.stakes, CAUTION / mean)
        logs = np.log1p(stakes * self.weights * (self.values - mean)).sum(axis=1)
        return float(np.logaddexp.reduce(logs) - math.log(logs.size))


def _stakes(ordered: Floats, level: float) -> Floats:
    """What is staked on each value, told by those before it alone: shape (orders, n)."""
    n = ordered.shape[1]
    count = np.arange(1, n + 1)
    means = (0.5 + np.cumsum(ordered, axis=1)) / (count + 1)
    variances = (0.25 + np.cumsum((ordered - means) ** 2, axis=1)) / (count + 1)
    before = np.concatenate([np.full((ordered.shape[0], 1), 0.25), variances[:, :-1]], axis=1)
    return np.asarray(np.sqrt(2 * math.log(2 / (1 - level)) / (n * before)), dtype=np.float64)


def _end(bets: Bets, mean: float, limit: float) -> float:
    """The least mean that the capital does not speak against."""
    low, high = 0.0, mean
    for _ in range(STEPS):
        middle = (low + high) / 2
        if bets.log_capital(middle) < limit:
            high = middle
        else:
            low = middle
    return low
