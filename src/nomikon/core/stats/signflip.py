"""Sign-flip permutation test on paired case differences."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.resampling import shared

Floats = NDArray[np.float64]

TIE = 1e-9
FULL_ENUMERATION = 20
# Denominators that scores of averaged repeats and weighted fields fall on.
_GRIDS = tuple(range(1, 121))
# Most work an exact convolution may take: width of the sum × distinct sizes.
MAX_GRID_WIDTH = 400_000
BLOCK = 200


@dataclass(frozen=True)
class SignFlip:
    """Two-sided p-value and how it was had: none, grid, enumeration or random."""

    p: float
    method: str


def flips_for(n_resamples: int, level: float) -> int:
    """How many random signs to draw so that a test at `level` can refuse at all, and steadily.

    n flips give no p under 1 ÷ (n + 1).
    """
    return max(n_resamples, math.ceil(2 / level))


def sign_flip(differences: Floats, *, n_resamples: int = 10_000, seed: int = 0) -> SignFlip:
    """Two-sided sign-flip test of no difference.

    differences: shape (n,), one per case; within 1e-9 of zero is a tie, which
    carries no sign. Under no difference each sign is as likely as its
    opposite; p is the share of sign patterns whose sum is at least as far
    from zero. Exact where the differences lie on a grid (for pass/fail this
    is McNemar's exact test) or where at most 20 are not zero, otherwise
    (k + 1) ÷ (n + 1) over random patterns.
    Sources: Fisher (1935), section 21; Phipson and Smyth (2010) for the +1.

    >>> sign_flip(np.array([0.5, 0.5, 0.5]))
    SignFlip(p=0.25, method='grid')
    """
    return sign_flips(differences[:, None], n_resamples=n_resamples, seed=seed)[0]


def sign_flips(differences: Floats, *, n_resamples: int = 10_000, seed: int = 0) -> list[SignFlip]:
    """The same test for several columns of differences on the same cases.

    differences: shape (n_cases, n_pairs). Columns that need random signs share
    them, so that each gives what it would give alone, and many cost little
    more than one.
    """
    found: list[SignFlip | None] = [_exact(column) for column in differences.T]
    open_columns = [i for i, test in enumerate(found) if test is None]
    if open_columns:
        p_values = _random(differences[:, open_columns], n_resamples, seed)
        for column, p in zip(open_columns, p_values.tolist(), strict=True):
            found[column] = SignFlip(p, "random")
    return [test for test in found if test is not None]


def _exact(differences: Floats) -> SignFlip | None:
    """The exact test where one is feasible."""
    d = differences[np.abs(differences) > TIE]
    if d.size == 0:
        return SignFlip(1.0, "none")
    if (grid := _on_grid(d)) is not None:
        return SignFlip(_exact_on_grid(grid), "grid")
    if d.size <= FULL_ENUMERATION:
        return SignFlip(_enumerate(d), "enumeration")
    return None


def _on_grid(d: Floats) -> NDArray[np.int64] | None:
    """The differences as whole multiples of one grid step, or None."""
    for denominator in _GRIDS:
        scaled = d * denominator
        whole = np.round(scaled)
        if np.all(np.abs(scaled - whole) <= TIE * denominator):
            steps = whole.astype(np.int64)
            steps //= np.gcd.reduce(steps)
            width = int(np.abs(steps).sum())
            sizes = np.unique(np.abs(steps)).size
            return steps if width * sizes <= MAX_GRID_WIDTH else None
    return None


def fair_binomial(n: int) -> Floats:
    """Probability of each number of heads, 0 to n, in n throws of a fair coin.

    By the ratio of neighbours outwards from the middle, then made to sum to 1, so that no
    factorial overflows. (Not from scipy.stats: reading that package alone takes a second.)

    >>> fair_binomial(2).tolist()
    [0.25, 0.5, 0.25]
    """
    middle = n // 2
    up = np.arange(middle, n)
    # P(k + 1) / P(k) = (n - k) / (k + 1)
    right = np.cumprod((n - up) / (up + 1))
    right = np.concatenate([[1.0], right])
    heads = np.arange(n + 1)
    found = right[np.maximum(heads, n - heads) - middle]
    return np.asarray(found / math.fsum(found.tolist()), dtype=np.float64)


def _exact_on_grid(steps: NDArray[np.int64]) -> float:
    """Exact p by convolving, size by size, the distribution of the sum."""
    sizes, counts = np.unique(np.abs(steps), return_counts=True)
    distribution = np.ones(1)
    for size, count in zip(sizes.tolist(), counts.tolist(), strict=True):
        # The sum over `count` signs of one size is size × (2 B − count).
        spread = np.zeros(2 * size * count + 1)
        spread[:: 2 * size] = fair_binomial(count)
        distribution = np.convolve(distribution, spread)
    reach = (distribution.size - 1) // 2
    observed = abs(int(steps.sum()))
    sums = np.abs(np.arange(-reach, reach + 1))
    return min(1.0, float(math.fsum(distribution[sums >= observed].tolist())))


def _enumerate(d: Floats) -> float:
    observed = abs(float(d.sum())) - TIE
    half = d.size // 2
    left = np.array([np.dot(s, d[:half]) for s in itertools.product((-1, 1), repeat=half)])
    right = np.array(
        [np.dot(s, d[half:]) for s in itertools.product((-1, 1), repeat=d.size - half)]
    )
    hits = sum(int(np.count_nonzero(np.abs(right + x) >= observed)) for x in left)
    return float(hits / (left.size * right.size))


def _random(differences: Floats, n_resamples: int, seed: int) -> Floats:
    """p-values by random signs, one per column, (k + 1) ÷ (n + 1)."""
    d: Floats = np.where(np.abs(differences) > TIE, differences, 0.0)
    total: Floats = d.sum(axis=0)
    observed = np.abs(total) - TIE

    def hits_in(block: int) -> NDArray[np.int64]:
        # A generator per block: the figure does not depend on how blocks are batched.
        rng = np.random.default_rng(np.random.SeedSequence(seed, spawn_key=(1, block // BLOCK)))
        bits = np.frombuffer(rng.bytes(BLOCK * -(-d.shape[0] // 8)), dtype=np.uint8)
        kept = np.unpackbits(bits.reshape(BLOCK, -1), axis=1, count=d.shape[0])
        # Signs are +1 where a bit is set, −1 elsewhere: the sum is 2 × kept − all.
        sums = 2.0 * (kept[: n_resamples - block].astype(np.float64) @ d) - total
        return np.asarray(np.count_nonzero(np.abs(sums) >= observed, axis=0), dtype=np.int64)

    hits = sum(shared(hits_in, range(0, n_resamples, BLOCK), work=n_resamples * d.shape[0]))
    return np.asarray((hits + 1.0) / (n_resamples + 1.0), dtype=np.float64)
