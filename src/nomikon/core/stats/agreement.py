"""Agreement among readers: Cohen's kappa by pair, Krippendorff's alpha with an interval.

Alpha as in K. Krippendorff, "Content Analysis" (2013), chapter 12; its interval
resamples units, and with them one more on which two readers part: readers who agreed on all
of twenty units may yet part on the next. Weighted kappa as in J. Cohen (1968).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np

from nomikon.core.errors import DomainError
from nomikon.core.stats.resampling import Floats, resample_counts

NOMINAL, ORDINAL, INTERVAL = "nominal", "ordinal", "interval"
SCALES = (NOMINAL, ORDINAL, INTERVAL)


# With fewer units, or fewer of them off the commonest value, an interval would be made up.
FEWEST_UNITS, FEWEST_OFF = 5, 3


class AgreementError(DomainError):
    """Ratings that no agreement can be worked out from."""

    code = "agreement"


@dataclass(frozen=True)
class Rating:
    """What one reader said of one unit: a label, or a number on the other scales."""

    unit: str
    reader: str
    value: Any


@dataclass(frozen=True)
class Kappa:
    """Two readers on the units both rated; kappa None where chance alone explains all."""

    a: str
    b: str
    kappa: float | None
    n: int


@dataclass(frozen=True)
class Agreement:
    """alpha with its 95 % interval (None without variation, why_null says so), kappa by pair."""

    alpha: float | None
    low: float | None
    high: float | None
    n_units: int
    n_readers: int
    kappa: list[Kappa]
    why_null: str | None


def agreement(
    ratings: Sequence[Rating],
    scale: str,
    *,
    seed: int = 0,
    n_resamples: int = 10_000,
    level: float = 0.95,
) -> Agreement:
    """How far readers agree beyond chance.

    Only units with two ratings or more count. scale: nominal (labels), ordinal
    or interval (numbers; differences are squared). Raises AgreementError for an
    unknown scale, a value that is no number where one is needed, and a reader
    who rates a unit twice.
    """
    if scale not in SCALES:
        raise AgreementError(
            f"the scale is {scale!r}; allowed are {', '.join(SCALES)}", field="scale"
        )
    by_unit: dict[str, dict[str, Any]] = {}
    for r in ratings:
        held = by_unit.setdefault(r.unit, {})
        if r.reader in held:
            raise AgreementError(f"{r.reader} rates {r.unit} twice")
        held[r.reader] = _value(r, scale)
    pairable = {u: held for u, held in by_unit.items() if len(held) >= 2}
    readers = sorted({r.reader for r in ratings})
    kappas = [_kappa(a, b, pairable, scale) for a, b in combinations(readers, 2)]
    if not pairable:
        return Agreement(
            None, None, None, 0, len(readers), kappas, "no unit is rated by two readers"
        )
    parts = _interval_parts(pairable) if scale == INTERVAL else _label_parts(pairable, scale)
    alpha = parts.alpha(np.ones((1, len(pairable))))[0]
    if np.isnan(alpha):
        return Agreement(
            None,
            None,
            None,
            len(pairable),
            len(readers),
            kappas,
            "every rating is the same: agreement beyond chance cannot be told",
        )
    if why := _too_few(pairable):
        return Agreement(float(alpha), None, None, len(pairable), len(readers), kappas, why)
    low, high = _interval(parts, float(alpha), len(pairable), n_resamples, seed, level)
    return Agreement(float(alpha), low, high, len(pairable), len(readers), kappas, None)


def _interval(
    parts: _Labels | _Numbers, alpha: float, n_units: int, n_resamples: int, seed: int, level: float
) -> tuple[float, float]:
    """By resampling units, with one more on which two readers part."""
    unsure = parts.with_one_apart()
    found = np.concatenate(
        [
            unsure.alpha(counts)
            for counts in resample_counts(n_units + 1, n_resamples=n_resamples, seed=seed)
        ]
    )
    # A resample without variation has no alpha.
    found = found[~np.isnan(found)]
    tail = (1 - level) / 2
    low, high = np.quantile(found, [tail, 1 - tail])
    # The one more pulls down: what is seen stays within.
    low, high = min(float(low), float(alpha)), max(float(high), float(alpha))
    return low, 1.0 if alpha >= 1 else high


def _too_few(pairable: Mapping[str, Mapping[str, Any]]) -> str | None:
    """Why no interval can be had, where it cannot."""
    n = len(pairable)
    if n < FEWEST_UNITS:
        return f"{n} units say too little for an interval; {FEWEST_UNITS} are needed"
    tally = Counter(v for held in pairable.values() for v in held.values())
    common = tally.most_common(1)[0][0]
    off = sum(any(v != common for v in held.values()) for held in pairable.values())
    if off < FEWEST_OFF:
        return (
            f"{off} of {n} units hold anything but {common}: too one-sided for an interval; "
            f"{FEWEST_OFF} are needed"
        )
    return None


def _value(rating: Rating, scale: str) -> Any:
    if scale == NOMINAL:
        return str(rating.value)
    try:
        number = float(rating.value)
    except (TypeError, ValueError):
        number = float("nan")
    if not np.isfinite(number):
        raise AgreementError(
            f"{rating.reader} rates {rating.unit} {rating.value!r}; on the scale {scale} a rating "
            "is a number"
        )
    return number


@dataclass(frozen=True)
class _Labels:
    """Coincidences of values, unit by unit: shape (units, values, values)."""

    coincidences: Floats
    scale: str

    def alpha(self, counts: Floats) -> Floats:
        """Alpha for units counted so often, one for each row of counts."""
        units, k, _ = self.coincidences.shape
        seen = (counts @ self.coincidences.reshape(units, k * k)).reshape(-1, k, k)
        marginal = seen.sum(axis=2)
        n = marginal.sum(axis=1)
        apart = self._apart(marginal)
        observed = (seen * apart).sum(axis=(1, 2))
        expected = (marginal[:, :, None] * marginal[:, None, :] * apart).sum(axis=(1, 2))
        with np.errstate(divide="ignore", invalid="ignore"):
            alpha = 1 - (n - 1) * observed / expected
        return np.where(expected > 0, alpha, np.nan)

    def with_one_apart(self) -> _Labels:
        """One unit more on which two readers part, by values that are as common as in all."""
        share = self.coincidences.sum(axis=(0, 1))
        apart = np.outer(share, share)
        np.fill_diagonal(apart, 0.0)
        return _Labels(
            np.concatenate([self.coincidences, 2 * apart[None] / apart.sum()]), self.scale
        )

    def _apart(self, marginal: Floats) -> Floats:
        k = marginal.shape[1]
        if self.scale == NOMINAL:
            return np.broadcast_to(1.0 - np.eye(k), (len(marginal), k, k))
        # Ordinal: all ratings between two values, half of those at either end.
        upto = np.cumsum(marginal, axis=1)
        middle = upto - marginal / 2
        apart: Floats = (middle[:, :, None] - middle[:, None, :]) ** 2
        return apart


@dataclass(frozen=True)
class _Numbers:
    """For squared differences sums are enough: per unit the disagreement, count, sum, squares."""

    sums: Floats

    def alpha(self, counts: Floats) -> Floats:
        """As `_Labels.alpha`."""
        disagreement, n, total, squares = (counts @ self.sums).T
        expected = 2 * n * squares - 2 * total**2
        usable = expected > 1e-12 * np.maximum(1.0, n * squares)
        with np.errstate(divide="ignore", invalid="ignore"):
            alpha = 1 - (n - 1) * disagreement / expected
        return np.where(usable, alpha, np.nan)

    def with_one_apart(self) -> _Numbers:
        """As `_Labels.with_one_apart`: two ratings as far apart as twice the variance makes it."""
        _, n, total, squares = self.sums.sum(axis=0)
        mean, square = total / n, squares / n
        # Twice the squared difference of two draws is four variances; of two that differ, more.
        row = (8 * (square - mean * mean), 2.0, 2 * mean, 2 * square)
        return _Numbers(np.concatenate([self.sums, [row]]))


def _label_parts(pairable: Mapping[str, Mapping[str, Any]], scale: str) -> _Labels:
    values = sorted({v for held in pairable.values() for v in held.values()})
    place = {v: i for i, v in enumerate(values)}
    k = len(values)
    coincidences = np.zeros((len(pairable), k, k))
    for unit, held in enumerate(pairable.values()):
        tally = np.zeros(k)
        for v in held.values():
            tally[place[v]] += 1
        coincidences[unit] = (np.outer(tally, tally) - np.diag(tally)) / (len(held) - 1)
    return _Labels(coincidences, scale)


def _interval_parts(pairable: Mapping[str, Mapping[str, Any]]) -> _Numbers:
    rows = []
    for held in pairable.values():
        v = np.array(list(held.values()))
        m = len(v)
        rows.append((2 * (m * (v**2).sum() - v.sum() ** 2) / (m - 1), m, v.sum(), (v**2).sum()))
    return _Numbers(np.array(rows, dtype=float))


def _kappa(a: str, b: str, pairable: Mapping[str, Mapping[str, Any]], scale: str) -> Kappa:
    """Unweighted on labels, linear weights on an ordinal scale, squared ones on an interval scale."""
    both = [(held[a], held[b]) for held in pairable.values() if a in held and b in held]
    if not both:
        return Kappa(a, b, None, 0)
    values = sorted({v for pair in both for v in pair})
    place = {v: i for i, v in enumerate(values)}
    k = len(values)
    table = np.zeros((k, k))
    for x, y in both:
        table[place[x], place[y]] += 1
    table /= len(both)
    if scale == NOMINAL:
        apart = 1.0 - np.eye(k)
    elif scale == ORDINAL:
        ranks = np.arange(k, dtype=float)
        apart = np.abs(ranks[:, None] - ranks[None, :])
    else:
        numbers = np.array(values, dtype=float)
        apart = (numbers[:, None] - numbers[None, :]) ** 2
    chance = np.outer(table.sum(axis=1), table.sum(axis=0))
    expected = float((chance * apart).sum())
    if expected <= 0:
        return Kappa(a, b, None, len(both))
    return Kappa(a, b, float(1 - (table * apart).sum() / expected), len(both))
