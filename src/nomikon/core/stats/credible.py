"""The credible set: arms that no rival beats, all comparisons taken into account at once."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.resampling import resample_counts
from nomikon.core.stats.sources import FEWEST_SOURCES, units_of

Floats = NDArray[np.float64]
TIE = 1e-9
FLOOR = 0.4


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
    FLOOR of that of all cases. A rival beats an arm where its lower bound lies above 0.
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
    a, b = np.nonzero(np.triu(moves, k=1))
    apart = pull[:, a] - pull[:, b]
    floor = FLOOR * apart.std(axis=0) / math.sqrt(n)
    signed, absolute = [], []
    for counts in resample_counts(n, n_resamples=n_resamples, seed=seed):
        shift = counts @ apart / n
        square = counts @ apart**2 / n
        own = np.maximum(np.sqrt(np.maximum(square - shift**2, 0.0) / (n - 1)), floor)
        t = shift / own
        # Both directions of a pair.
        absolute.append(np.abs(t).max(axis=1))
        signed.append(np.maximum(t.max(axis=1), (-t).max(axis=1)))
    one_sided = float(np.quantile(np.concatenate(signed), level))
    two_sided = float(np.quantile(np.concatenate(absolute), level))
    difference = centre[:, None] - centre[None, :]
    # beats[a, b]: a beats b. Arms that never differ are as good as each other.
    beats = (difference - one_sided * spread > 0) & (difference > TIE)
    # Over a handful of units no test reaches 0.05, however sure a resample looks.
    beats &= n >= FEWEST_SOURCES
    members = [b for b in range(n_arms) if not beats[:, b].any()]
    return CredibleSet(members, two_sided * spread, beats)


def _variances(pull: Floats) -> Floats:
    """Variance of the difference of every two columns, whose means are 0, over all rows."""
    cross = pull.T @ pull / len(pull)
    own = np.diag(cross)
    return np.asarray(own[:, None] + own[None, :] - 2 * cross, dtype=np.float64)
