"""Units of a comparison: cases, or the sources that cases share, which count as fewer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

# Below so many sources no sign-flip test reaches 0.05: 2 ÷ 2⁵ is more.
FEWEST_SOURCES = 6


@dataclass(frozen=True)
class Units:
    """means: shape (n_units, n_columns), of each unit's cases. sizes: cases of each; None where
    every case is a unit of its own."""

    means: Floats
    sizes: Floats | None

    @property
    def n_sources(self) -> int | None:
        """How many sources there are; None where cases share none."""
        return None if self.sizes is None else int(self.sizes.size)

    @property
    def sums(self) -> Floats:
        """Sums over each unit's cases."""
        return self.means if self.sizes is None else self.means * self.sizes[:, None]

    @property
    def apart(self) -> Floats:
        """Each unit's share in the error of the mean, shape (n_units, n_columns): their variance
        over n_units is that of the mean of the cases (the ratio estimator, Kish 1965, section 6.3)."""
        if self.sizes is None:
            return np.asarray(self.means - self.means.mean(axis=0), dtype=np.float64)
        weights = (self.sizes / self.sizes.mean())[:, None]
        return np.asarray(weights * (self.means - self.mean), dtype=np.float64)

    @property
    def mean(self) -> Floats:
        """Of the cases, shape (n_columns,)."""
        return np.asarray(np.average(self.means, axis=0, weights=self.sizes), dtype=np.float64)

    def effective(self, values: Floats, own: Floats) -> float | None:
        """How many unrelated cases these count as; None where cases share no source.

        values: by case; own: their means by unit. The cases divided by the design effect, the
        variance of the mean by source over that by case (Kish 1965, section 5.4), and never
        more than the cases nor fewer than one.
        """
        if self.sizes is None:
            return None
        n, n_units = values.size, own.size
        plain = float(values.var(ddof=1)) / n if n > 1 else 0.0
        if n_units < 2 or plain <= 0:
            return float(n_units)
        apart = self.sizes * (own - values.mean())
        by_source = float((apart**2).sum()) / n**2 * n_units / (n_units - 1)
        return n / max(1.0, by_source / plain) if by_source > 0 else float(n)


def units_by_case(values: Floats, cases: Sequence[str], sources: Mapping[str, str] | None) -> Units:
    """The units of one value a case. sources: by case, of those that have one."""
    if not sources:
        return Units(values[:, None], None)
    return units_of(values[:, None], codes_of([sources.get(c) or f"case {c}" for c in cases]))


def codes_of(sources: Sequence[str] | None) -> NDArray[np.int64] | None:
    """A number for each case's source, equal where the sources are; None where there are none."""
    if not sources:
        return None
    place = {name: i for i, name in enumerate(dict.fromkeys(sources))}
    return np.array([place[n] for n in sources], dtype=np.int64)


def units_of(means: Floats, codes: NDArray[np.int64] | None) -> Units:
    """The units of cases. means: shape (n_cases, n_columns); codes: the source of each case."""
    if codes is None:
        return Units(means, None)
    _, place = np.unique(codes, return_inverse=True)
    sizes = np.bincount(place).astype(np.float64)
    if sizes.max(initial=0) <= 1:
        return Units(means, None)
    sums = np.zeros((sizes.size, means.shape[1]))
    np.add.at(sums, place, means)
    return Units(sums / sizes[:, None], sizes)
