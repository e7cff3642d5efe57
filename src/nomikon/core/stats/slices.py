"""Slices: the same comparison on parts of the cases, where an arm may be worse though better on the whole."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from nomikon.core.stats.holm import holm
from nomikon.core.stats.intervals import difference_interval
from nomikon.core.stats.resampling import resampled_means
from nomikon.core.stats.signflip import sign_flip
from nomikon.core.stats.sources import Units, units_by_case

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
    sources: Mapping[str, str] | None = None,
    seed: int = 0,
    n_resamples: int = 10_000,
) -> tuple[list[Slice], int]:
    """Paired differences on parts of the cases, the greatest loss first, and how many were too small.

    differences: a − b by case. parts: (name, cases); they may overlap. A part with
    fewer than 10 compared cases is left out, and so is one that holds them all. sources: what
    cases come from, where some share it; they are then flipped and resampled whole.
    p-values are corrected by Holm over the slices; one says *look* where the
    difference there is below zero by more than chance explains.
    """
    found: list[tuple[str, int, Units]] = []
    small = 0
    for name, cases in parts:
        own = [c for c in cases if c in differences]
        if len(own) == len(differences):
            continue
        if len(own) < FEWEST:
            small += 1
            continue
        values = np.array([differences[c] for c in own])
        found.append((name, len(own), units_by_case(values, own, sources)))
    chance = {"n_resamples": n_resamples, "seed": seed}
    tests = [sign_flip(units.sums[:, 0], **chance).p for _, _, units in found]
    made = []
    for (name, n_cases, units), p, adjusted in zip(found, tests, holm(tests), strict=True):
        drawn = resampled_means(units.means, sizes=units.sizes, n_resamples=n_resamples, seed=seed)[
            :, 0
        ]
        interval = difference_interval(units.means[:, 0], drawn, p, sizes=units.sizes, seed=seed)
        look = interval.estimate < 0 and adjusted < LEVEL
        made.append(
            Slice(
                name,
                n_cases,
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
