"""The interval that belongs to the sign-flip test: every difference the test does not refuse.

The test of a difference θ flips the signs of the case differences less θ. Whether a
pattern's sum is as far out as the one seen hangs on nothing but the mean of the cases it
flips: it is so where that mean is at most θ (or at least θ, above the mean seen). So the
ends of the interval are order statistics of the means of random subsets of the cases
(Hartigan 1969, JASA 64, 1303–1317), and 0 lies outside just where p is at most the level.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaln

from nomikon.core.stats.betting import betting_interval
from nomikon.core.stats.signflip import TIE

Floats = NDArray[np.float64]

# So many subsets of different make-up are gone through one by one; more are drawn.
MOST_SUBSETS = 60_000
DRAWN = 10_000
ONE_BY_ONE = 64
# With at least so many cases off the commonest value and a skewness of no more than this,
# the inversion covers what it should by itself.
STEADY_OFF_COMMONEST, STEADY_SKEWNESS = 10, 1.0


def inverted_interval(
    differences: Floats,
    p: float,
    *,
    level: float = 0.95,
    bound: float = 1.0,
    sizes: Floats | None = None,
    seed: int = 0,
) -> tuple[float, float]:
    """Interval for a mean paired difference by inverting the sign-flip test.

    differences: shape (n,), n at least 1, each within −bound and bound. p: what the test of no difference
    gave; the interval leaves out 0 exactly where p is at most 1 − level. Where few cases move
    or they are skewed the inversion alone covers too little: an end on the far side of 0 (both,
    where the interval holds 0) is the wider of it and a betting interval's, which cannot
    change what it says of 0. Too few cases for the level leave the whole range. sizes: how many
    cases each difference is the mean of, where it is that of a source: those are flipped whole.

    >>> low, high = inverted_interval(np.array([0.25] * 8), 2 / 2**8)
    >>> round(low, 3), high >= 0.25
    (0.25, True)
    """
    counts = np.ones(differences.size) if sizes is None else sizes
    mean = float(np.average(differences, weights=counts))
    alpha = 1.0 - level
    # Values a hair apart are one, as they are for the test.
    differences = np.round(differences, 9)
    low, high = _ends(differences, counts, alpha, bound, seed)
    refused = p <= alpha * (1 + 1e-12)
    # The subsets may be drawn where p is exact: on which side of 0 an end lies is p's to say.
    low = _agreeing(low, refused and mean > TIE)
    high = -_agreeing(-high, refused and mean < -TIE)
    if not steady(differences):
        wide_low, wide_high = betting_interval(
            differences, level=level, least=-bound, most=bound, sizes=sizes
        )
        if low <= 0:
            low = min(low, wide_low)
        if high >= 0:
            high = max(high, wide_high)
    return max(-bound, low), min(bound, high)


def off_commonest(values: Floats) -> int:
    """How many values differ from the one that is met most often."""
    # Values a hair apart (1/3 against 0.1 + 0.2 + 0.03…) count as one.
    _, counts = np.unique(np.round(values / TIE), return_counts=True)
    return int(values.size - counts.max())


def steady(differences: Floats) -> bool:
    """Whether enough values are off the commonest, and they lean to no side much."""
    if off_commonest(differences) < STEADY_OFF_COMMONEST:
        return False
    centred = differences - differences.mean()
    third, second = float(np.mean(centred**3)), float(np.mean(centred**2))
    return abs(third) <= STEADY_SKEWNESS * math.pow(second, 1.5)


def _agreeing(low: float, above: bool) -> float:
    """A lower end, put on the side of 0 where the test has it."""
    if above:
        return max(low, 10 * TIE)
    return 0.0 if low > 0.0 else low


def _ends(
    differences: Floats, sizes: Floats, alpha: float, bound: float, seed: int
) -> tuple[float, float]:
    """Order statistics of subset means: the outermost alpha ÷ 2 of subsets lie beyond each."""
    kinds, times = np.unique(np.column_stack([differences, sizes]), axis=0, return_counts=True)
    values, cases = kinds[:, 0], kinds[:, 1]
    if math.prod((times + 1).tolist()) <= MOST_SUBSETS:
        sizes, sums, weights = _all_subsets(values, cases, times)
    else:
        sizes, sums, weights = _drawn_subsets(values, cases, times, seed)
    filled = sizes > 0
    means = sums[filled] / sizes[filled]
    order = np.argsort(means, kind="stable")
    means, weights = means[order], weights[filled][order]
    # The empty subset, the signs as they were, counts for both ends and lies beyond each.
    empty = 1.0 - float(weights.sum())
    low = _first(means, weights, empty, alpha, -bound)
    return low, -_first(-means[::-1], weights[::-1], empty, alpha, -bound)


def _first(means: Floats, weights: Floats, beyond: float, alpha: float, least: float) -> float:
    """The least value at which twice the share of subsets at or below it exceeds alpha."""
    if 2 * beyond > alpha * (1 + 1e-12):
        return least
    reached = 2 * (beyond + np.cumsum(weights))
    at = int(np.searchsorted(reached, alpha * (1 + 1e-12), side="right"))
    return float(means[min(at, means.size - 1)])


def _all_subsets(
    values: Floats, cases: Floats, times: NDArray[np.int64]
) -> tuple[Floats, Floats, Floats]:
    """Cases, sum and share of every subset, those of the same make-up as one."""
    sizes, sums, logs = np.zeros(1), np.zeros(1), np.zeros(1)
    for value, own, count in zip(values.tolist(), cases.tolist(), times.tolist(), strict=True):
        taken = np.arange(count + 1)
        log_ways = gammaln(count + 1) - gammaln(taken + 1) - gammaln(count - taken + 1)
        sizes = (sizes[:, None] + taken * own).ravel()
        sums = (sums[:, None] + taken * own * value).ravel()
        logs = (logs[:, None] + log_ways).ravel()
    return sizes, sums, np.exp(logs - float(times.sum()) * math.log(2))


def _drawn_subsets(
    values: Floats, cases: Floats, times: NDArray[np.int64], seed: int
) -> tuple[Floats, Floats, Floats]:
    """The same of random subsets, each with its opposite, and the empty one once."""
    rng = np.random.default_rng(np.random.SeedSequence(seed, spawn_key=(2,)))
    n = int(times.sum())
    if n <= ONE_BY_ONE:
        # A bit each is drawn much faster than how many there are of each kind.
        bits = np.frombuffer(rng.bytes(DRAWN * -(-n // 8)), dtype=np.uint8)
        taken = np.unpackbits(bits.reshape(DRAWN, -1), axis=1, count=n).astype(np.float64)
        weights = np.repeat(cases, times), np.repeat(cases * values, times)
    else:
        taken = rng.binomial(times, 0.5, size=(DRAWN, times.size)).astype(np.float64)
        weights = cases, cases * values
    size, total = taken @ weights[0], taken @ weights[1]
    sizes = np.concatenate([size, float(times @ cases) - size])
    sums = np.concatenate([total, float(times @ (cases * values)) - total])
    # The signs as they were are one more pattern, as (k + 1) ÷ (n + 1) counts them.
    return sizes, sums, np.full(sizes.size, 1.0 / (sizes.size + 1))
