"""The credible set: arms that no rival beats, all comparisons taken into account at once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.resampling import BLOCK, resample_block, shared
from nomikon.core.stats.sources import FEWEST_SOURCES, units_of

Floats = NDArray[np.float64]
TIE = 1e-9
FLOOR = 0.4
# So many pairs at a time, and so many that single precision is worth it.
PIECE, MANY_PAIRS = 2048, 1000
# Of very many pairs fewer resamples are drawn: pairs × resamples. The error of the level is then
# at most half a percent (√(0.05 · 0.95 ÷ 2,000)).
MOST_WORK, LEAST_RESAMPLES = 90_000_000, 2_000


@dataclass(frozen=True)
class CredibleSet:
    """members: columns that nobody beats. beats: whether a column beats another, both taken with all
    others, shape (n_arms, n_arms). half_widths: of the simultaneous two-sided intervals
    around every difference, shape (n_arms, n_arms), 0 where two arms never differ."""

    members: list[int]
    half_widths: Floats
    beats: NDArray[np.bool_]


def _nobody(n_arms: int) -> CredibleSet:
    bare = np.zeros((n_arms, n_arms))
    return CredibleSet(list(range(n_arms)), bare, bare.astype(np.bool_))


def credible_set(
    means: Floats,
    *,
    sources: NDArray[np.int64] | None = None,
    seed: int = 0,
    n_resamples: int = 10_000,
    level: float = 0.95,
) -> CredibleSet:
    """Which arms no rival beats at simultaneous one-sided `level`.

    means: shape (n_cases, n_arms), case means of cases that every arm has. sources: of each case,
    where cases share them. Differences of all pairs are resampled on the same units; the bounds
    are the `level` quantile of the greatest deviation, studentised by the spread in the very
    resample (bootstrap max-t, Westfall and Young 1993, section 2.4; Hall 1992, section 3.10).
    With few cases a resample's own spread may be next to nothing: it counts as no less than
    FLOOR of that of all cases. Of more than 9,000 pairs fewer resamples are drawn (MOST_WORK). A rival beats
    an arm where its lower bound lies above 0.
    """
    n_arms = means.shape[1]
    units = units_of(means, sources)
    # The mean of cases is that of unit sums over that of unit sizes: each unit's pull on it.
    sizes = np.ones(len(units.means)) if units.sizes is None else units.sizes
    n = len(sizes)
    if n < 2 or n_arms < 2:
        return _nobody(n_arms)
    centre = means.mean(axis=0)
    pull = (units.means - centre) * (sizes / sizes.mean())[:, None]
    spread = np.sqrt(np.maximum(_variances(pull), 0.0) / (n - 1))
    moves = spread > TIE
    if not moves.any():
        return _nobody(n_arms)
    deviations = _greatest(pull, np.nonzero(np.triu(moves, k=1)), seed, n_resamples)
    # Of all ordered pairs: one bound for who beats whom and for the intervals that hold together.
    bound = float(np.quantile(deviations, level))
    difference = centre[:, None] - centre[None, :]
    # beats[a, b]: a beats b. Arms that never differ are as good as each other.
    beats = (difference - bound * spread > 0) & (difference > TIE)
    # Over a handful of units no test reaches 0.05, however sure a resample looks.
    beats &= n >= FEWEST_SOURCES
    members = [b for b in range(n_arms) if not beats[:, b].any()]
    return CredibleSet(members, bound * spread, beats)


def _greatest(
    pull: Floats, pairs: tuple[NDArray[np.intp], ...], seed: int, n_resamples: int
) -> Floats:
    """The greatest studentised deviation of each resample, over both directions of all pairs.

    pull: of each unit on every arm's mean. Pairs lie side by side, in pieces that stay in the
    processor's own store; of many pairs in single precision, which moves the bound by a millionth.
    """
    (a, b), n = pairs, len(pull)
    n_resamples = min(n_resamples, max(LEAST_RESAMPLES, MOST_WORK // len(a)))
    kind: Any = np.float64 if len(a) <= MANY_PAIRS else np.float32
    pieces = []
    for start in range(0, len(a), PIECE):
        some = slice(start, start + PIECE)
        apart = pull[:, a[some]] - pull[:, b[some]]
        least = (FLOOR * apart.std(axis=0)) ** 2 * (n - 1) / n
        pieces.append((apart.astype(kind), (apart**2).astype(kind), least.astype(kind)))

    def furthest(block: int) -> Floats:
        counts = resample_block(n, min(BLOCK, n_resamples - block), seed, block // BLOCK)
        counts = (counts / n).astype(kind)
        most = np.zeros(len(counts), dtype=kind)
        for apart, squares, least in pieces:
            # shift² ÷ max(variance of the resample, floor): the square of the studentised deviation.
            shift = counts @ apart
            np.multiply(shift, shift, out=shift)
            own = counts @ squares
            np.subtract(own, shift, out=own)
            np.maximum(own, least, out=own)
            np.divide(shift, own, out=shift)
            np.maximum(most, shift.max(axis=1), out=most)
        return np.sqrt(most.astype(np.float64) * (n - 1))

    return np.concatenate(shared(furthest, range(0, n_resamples, BLOCK), work=n * n_resamples))


def _variances(pull: Floats) -> Floats:
    """Variance of the difference of every two columns, whose means are 0, over all rows."""
    cross = pull.T @ pull / len(pull)
    own = np.diag(cross)
    return np.asarray(own[:, None] + own[None, :] - 2 * cross, dtype=np.float64)
