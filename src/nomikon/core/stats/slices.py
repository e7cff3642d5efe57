"""Slices: the same comparison on parts of the cases, where an arm may be worse though better on the whole."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.holm import holm
from nomikon.core.stats.intervals import difference_interval
from nomikon.core.stats.resampling import resampled_means
from nomikon.core.stats.signflip import sign_flip

FEWEST = 10
LEVEL = 0.05


@dataclass(frozen=True)
class Slice:
    """A part of the cases. p_holm: over all slices; look: worth reading, which decides nothing."""

    name: str
    n_cases: int
    difference: float
    low: float
    high: float
    p: float
    p_holm: float
    look: bool


def slices_of(
    differences: Mapping[str, float],
    parts: Sequence[tuple[str, Sequence[str]]],
    *,
    seed: int = 0,
    n_resamples: int = 10_000,
) -> tuple[list[Slice], int]:
    """Paired differences on parts of the cases, the greatest loss first, and how many were too small.

    differences: a − b by case. parts: (name, cases); they may overlap. A part with
    fewer than 10 compared cases is left out, and so is one that holds them all.
    p-values are corrected by Holm over the slices; one says *look* where the
    difference there is below zero by more than chance explains.
    """
    found: list[tuple[str, NDArray[np.float64]]] = []
    small = 0
    for name, cases in parts:
        own = [differences[c] for c in cases if c in differences]
        if len(own) == len(differences):
            continue
        if len(own) < FEWEST:
            small += 1
            continue
        found.append((name, np.array(own)))
    tests = [sign_flip(d, n_resamples=n_resamples, seed=seed).p for _, d in found]
    made = []
    for (name, d), p, adjusted in zip(found, tests, holm(tests), strict=True):
        drawn = resampled_means(d[:, None], n_resamples=n_resamples, seed=seed)[:, 0]
        interval = difference_interval(d, drawn, p, seed=seed)
        look = interval.estimate < 0 and adjusted < LEVEL
        made.append(
            Slice(
                name,
                d.size,
                interval.estimate,
                interval.low,
                interval.high,
                p,
                adjusted,
                look,
            )
        )
    made.sort(key=lambda s: (s.difference, s.name))
    return made, small
