"""How far a judge can be trusted: its agreement with people, and what sways it besides the content."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nomikon.core.stats.intervals import wilson
from nomikon.core.stats.resampling import Floats, resample_counts

# Fewer than this say nothing about a relation.
FEWEST = 8


def ranks(values: Sequence[float]) -> Floats:
    """The rank of each value from 1, equal values sharing the mean of theirs.

    >>> ranks([30.0, 10.0, 30.0]).tolist()
    [2.5, 1.0, 2.5]
    """
    _, place, counts = np.unique(
        np.asarray(values, dtype=np.float64), return_inverse=True, return_counts=True
    )
    found: Floats = (np.cumsum(counts) - (counts - 1) / 2)[place]
    return found


@dataclass(frozen=True)
class Relation:
    """A rank correlation (Spearman) with its 95 % interval by resampling; None without variation."""

    n: int
    rho: float | None
    low: float | None
    high: float | None
    why_null: str | None = None


@dataclass(frozen=True)
class OrderProbe:
    """Pairs judged in both orders: how often the choice turned, and the share for what stood first.

    A pair counts once: 1 where it chose what stood first both times, 0 where the second, a half
    where it kept to an answer. The interval is Wilson's over pairs with a choice. A judge that
    order does not sway gives 0.5.
    """

    pairs: int
    turned: int
    first: float | None
    low: float | None
    high: float | None


def relation(
    x: Sequence[float],
    y: Sequence[float],
    clusters: Sequence[str],
    *,
    seed: int = 0,
    n_resamples: int = 2000,
) -> Relation:
    """Spearman's rank correlation of two figures of the same outputs.

    clusters: the case of each; cases are resampled, not single outputs, and
    ranked anew in every resample.
    """
    n = len(x)
    if n < FEWEST:
        return Relation(n, None, None, None, f"{n} are too few; {FEWEST} are needed")
    a, b = ranks(x), ranks(y)
    if np.ptp(a) == 0 or np.ptp(b) == 0:
        return Relation(n, None, None, None, "one of the two never varies")
    names = sorted(set(clusters))
    place = {name: i for i, name in enumerate(names)}
    of = np.array([place[c] for c in clusters])
    rho = float(_correlation(a[None, :], b[None, :], np.ones((1, n)))[0])
    found = np.concatenate(
        [
            _correlation(
                _weighted_ranks(a, counts[:, of]), _weighted_ranks(b, counts[:, of]), counts[:, of]
            )
            for counts in resample_counts(len(names), n_resamples=n_resamples, seed=seed)
        ]
    )
    found = found[~np.isnan(found)]
    if len(names) < 3 or not len(found):
        return Relation(n, rho, None, None, "too few cases for an interval")
    low, high = np.quantile(found, [0.025, 0.975])
    return Relation(n, rho, float(low), float(high))


def _weighted_ranks(values: Floats, times: Floats) -> Floats:
    """Ranks within each resample, equal values sharing the mean of theirs: shape of times.

    times: how often each value was drawn, a row for each resample.
    """
    order = np.argsort(values, kind="stable")
    ordered = values[order]
    starts = np.flatnonzero(np.concatenate([[True], ordered[1:] != ordered[:-1]]))
    in_group = np.add.reduceat(times[:, order], starts, axis=1)
    shared = np.cumsum(in_group, axis=1) - (in_group - 1) / 2
    found = np.empty_like(times)
    found[:, order] = np.repeat(shared, np.diff(np.append(starts, len(values))), axis=1)
    return found


def _correlation(a: Floats, b: Floats, times: Floats) -> Floats:
    """Pearson's r of each row of a and b, every column counted so many times."""
    n = times.sum(axis=1, keepdims=True)
    a = a - (times * a).sum(axis=1, keepdims=True) / n
    b = b - (times * b).sum(axis=1, keepdims=True) / n
    with np.errstate(divide="ignore", invalid="ignore"):
        spread = np.sqrt((times * a * a).sum(axis=1) * (times * b * b).sum(axis=1))
        r: Floats = (times * a * b).sum(axis=1) / spread
    return r


def order_probe(choices: Sequence[tuple[str, str]]) -> OrderProbe:
    """choices: for each pair what the judge chose with one answer first, then with the other.

    Each is `first`, `second` or `neither`, by where the chosen one stood.
    """
    turned = sum(1 for a, b in choices if a == b and a != "neither")
    said = [[c for c in pair if c != "neither"] for pair in choices]
    first = [own.count("first") / len(own) for own in said if own]
    if not first:
        return OrderProbe(len(choices), turned, None, None, None)
    share = math.fsum(first) / len(first)
    low, high = wilson(share, len(first))
    return OrderProbe(len(choices), turned, share, low, high)
