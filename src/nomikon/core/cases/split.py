"""Holding cases out at random: every stratum in its share, near-copies on one side."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from nomikon.core.cases.near import NearPair
from nomikon.core.errors import PlanError


def held_out(
    strata: Sequence[str], share: float, seed: int, copies: Sequence[NearPair] = ()
) -> set[int]:
    """Positions of the cases to hold out.

    strata: the stratum of each case (its label, its tag). share: of all cases,
    above 0 and under 1; each stratum gives its share, rounded so that the whole
    comes nearest (largest remainders). copies: pairs that must not be parted; a
    group of copies counts for the stratum of its first case.
    The same arguments give the same split. Raises PlanError for a share out of range.

    >>> sorted(held_out(['a', 'a', 'b', 'b'], 0.5, seed=1))
    [0, 2]
    """
    if not 0 < share < 1:
        raise PlanError(f"the share is {share:g}; it must lie between 0 and 1", field="share")
    groups = _groups(len(strata), copies)
    dice = np.random.default_rng(seed)
    by_stratum: dict[str, list[list[int]]] = {}
    for group in groups:
        by_stratum.setdefault(strata[group[0]], []).append(group)
    sizes = {name: sum(map(len, found)) for name, found in by_stratum.items()}
    wanted = _shares(sizes, share)
    chosen: set[int] = set()
    for name in sorted(by_stratum):
        found = by_stratum[name]
        left = wanted[name]
        for place in dice.permutation(len(found)):
            group = found[int(place)]
            # A group that would go far past the share stays whole on the working side.
            if left > 0 and len(group) <= left + len(group) // 2:
                chosen.update(group)
                left -= len(group)
    return chosen


def _groups(n: int, copies: Sequence[NearPair]) -> list[list[int]]:
    """Positions joined by copies, each group in order."""
    head = list(range(n))

    def find(i: int) -> int:
        while head[i] != i:
            head[i] = head[head[i]]
            i = head[i]
        return i

    for pair in copies:
        a, b = sorted((find(pair.a), find(pair.b)))
        head[b] = a
    groups: dict[int, list[int]] = {}
    for i in range(n):
        groups.setdefault(find(i), []).append(i)
    return list(groups.values())


def _shares(sizes: dict[str, int], share: float) -> dict[str, int]:
    """Whole numbers for every stratum that add up to the rounded share of all."""
    exact = {name: size * share for name, size in sizes.items()}
    whole = {name: math.floor(x) for name, x in exact.items()}
    rest = round(sum(sizes.values()) * share) - sum(whole.values())
    for name in sorted(exact, key=lambda k: (whole[k] - exact[k], k))[: max(0, rest)]:
        whole[name] += 1
    return whole
