"""The credible set: arms that no rival beats, all comparisons taken into account at once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.resampling import resampled_means

Floats = NDArray[np.float64]
TIE = 1e-12


@dataclass(frozen=True)
class CredibleSet:
    """members: columns that nobody beats. half_widths: of the simultaneous two-sided intervals
    around every difference, shape (n_arms, n_arms), 0 where two arms never differ."""

    members: list[int]
    half_widths: Floats


def credible_set(
    means: Floats, *, seed: int = 0, n_resamples: int = 10_000, level: float = 0.95
) -> CredibleSet:
    """Which arms no rival beats at simultaneous one-sided `level`.

    means: shape (n_cases, n_arms), case means of cases that every arm has. Differences
    of all pairs are resampled on the same cases; the bounds are the `level` quantile of
    the greatest standardised deviation (bootstrap max-t, Westfall and Young 1993,
    section 2.4). A rival beats an arm where its lower bound lies above 0.
    """
    n_cases, n_arms = means.shape
    if n_cases < 2 or n_arms < 2:
        return CredibleSet(list(range(n_arms)), np.zeros((n_arms, n_arms)))
    drawn = resampled_means(means, n_resamples=n_resamples, seed=seed)
    centre = means.mean(axis=0)
    deviation = drawn - centre
    spread = np.zeros((n_arms, n_arms))
    signed = np.full(drawn.shape[0], -np.inf)
    absolute = np.zeros(drawn.shape[0])
    for a in range(n_arms):
        # One arm against all: memory grows with the arms, not with their pairs.
        apart = deviation[:, a : a + 1] - deviation
        spread[a] = apart.std(axis=0)
        moves = spread[a] > TIE
        if moves.any():
            scaled = apart[:, moves] / spread[a][moves]
            # Both directions of a pair are met, once as a and once as b.
            signed = np.maximum(signed, scaled.max(axis=1))
            absolute = np.maximum(absolute, np.abs(scaled).max(axis=1))
    if not np.isfinite(signed).all():
        return CredibleSet(list(range(n_arms)), np.zeros((n_arms, n_arms)))
    one_sided = float(np.quantile(signed, level))
    two_sided = float(np.quantile(absolute, level))
    difference = centre[:, None] - centre[None, :]
    # rival[a, b]: a beats b.
    beats = (difference - one_sided * spread > 0) & (difference > TIE)
    members = [b for b in range(n_arms) if not beats[:, b].any()]
    return CredibleSet(members, two_sided * spread)
