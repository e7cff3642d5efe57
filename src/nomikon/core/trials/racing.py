"""Racing: arms that are losing are dropped early, with the error of doing so controlled.

Looks are few and fixed before the trial; each tests complete rows only, every
arm that is left against every other one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.signflip import sign_flip

LOOKS = 5
# All looks and rivals together drop the truly best arm in at most this share of trials.
ALPHA = 0.05


@dataclass(frozen=True)
class Dropped:
    """An arm that left: the column it has, the one that beat it, the one-sided p of that."""

    arm: int
    against: int
    p: float


def look_points(n_cases: int) -> tuple[int, ...]:
    """After how many complete cases to look: five times, evenly, never at the very end.

    A look when all is answered saves nothing, so the cases are cut in six. Where
    there are fewer than six cases, fewer looks are left.

    >>> look_points(100)
    (17, 33, 50, 67, 83)
    """
    points = (round(n_cases * k / (LOOKS + 1)) for k in range(1, LOOKS + 1))
    return tuple(dict.fromkeys(p for p in points if 0 < p < n_cases))


def losers(
    means: NDArray[np.float64], n_arms: int, *, seed: int = 0, reference: int | None = None
) -> list[Dropped]:
    """Which arms to drop at one look.

    means: shape (n_rows, n_left), case means between 0 and 1, a column for each arm
    that is left, complete rows only. n_arms: how many started, which sets the level
    of each test, 0.05 ÷ (5 × (n_arms − 1)). The best so far always stays; the others
    are tested against those that stay, best first, by the one-sided sign-flip test.
    reference: the column of the arm that the plan holds others against; it always stays.
    """
    rows, left = means.shape
    if left < 2 or rows == 0:
        return []
    level = ALPHA / (LOOKS * max(1, n_arms - 1))
    best_first = sorted(range(left), key=lambda arm: (-float(means[:, arm].mean()), arm))
    staying = [best_first[0]]
    found: list[Dropped] = []
    for arm in best_first[1:]:
        beaten = _beaten_by(means, arm, staying, level, seed)
        if beaten is None or arm == reference:
            staying.append(arm)
        else:
            found.append(beaten)
    return found


def _beaten_by(
    means: NDArray[np.float64], arm: int, staying: Sequence[int], level: float, seed: int
) -> Dropped | None:
    for rival in staying:
        differences = means[:, rival] - means[:, arm]
        if differences.sum() <= 0:
            continue
        # Sign patterns come in opposite pairs, so one side has half of the two-sided p.
        p = sign_flip(differences, seed=seed).p / 2
        if p < level:
            return Dropped(arm, rival, p)
    return None
