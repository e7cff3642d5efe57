"""How far a judge can be trusted: its agreement with people, and what sways it besides the content."""

from __future__ import annotations

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

    Of judgements with a choice; the interval is Wilson's. A judge that order
    does not sway gives 0.5.
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
    ranks are those of the whole.
    """
    n = len(x)
    if n < FEWEST:
        return Relation(n, None, None, None, f"{n} are too few; {FEWEST} are needed")
    a, b = ranks(x), ranks(y)
    if np.ptp(a) == 0 or np.ptp(b) == 0:
        return Relation(n, None, None, None, "one of the two never varies")
    names = sorted(set(clusters))
    place = {name: i for i, name in enumerate(names)}
    sums = np.zeros((len(names), 6))
    for va, vb, name in zip(a, b, clusters, strict=True):
        sums[place[name]] += (1, va, vb, va * va, vb * vb, va * vb)
    rho = float(_correlation(sums.sum(axis=0)[None, :])[0])
    found = np.concatenate(
        [
            _correlation(counts @ sums)
            for counts in resample_counts(len(names), n_resamples=n_resamples, seed=seed)
        ]
    )
    found = found[~np.isnan(found)]
    if len(names) < 3 or not len(found):
        return Relation(n, rho, None, None, "too few cases for an interval")
    low, high = np.quantile(found, [0.025, 0.975])
    return Relation(n, rho, float(low), float(high))


def _correlation(sums: Floats) -> Floats:
    n, a, b, aa, bb, ab = sums.T
    with np.errstate(divide="ignore", invalid="ignore"):
        r: Floats = (n * ab - a * b) / np.sqrt((n * aa - a * a) * (n * bb - b * b))
    return r


def order_probe(choices: Sequence[tuple[str, str]]) -> OrderProbe:
    """choices: for each pair what the judge chose with one answer first, then with the other.

    Each is `first`, `second` or `neither`, by where the chosen one stood.
    """
    turned = sum(1 for a, b in choices if a == b and a != "neither")
    said = [c for pair in choices for c in pair if c != "neither"]
    if not said:
        return OrderProbe(len(choices), turned, None, None, None)
    share = said.count("first") / len(said)
    low, high = wilson(share, len(said))
    return OrderProbe(len(choices), turned, share, low, high)
