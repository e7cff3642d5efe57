"""What a set of cases is like: duplicates, leaks, labels, lengths, empty and outlying cases."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nomikon.core.cases.near import NearPair, near_duplicates
from nomikon.core.prompts.rendering import value_as_text

HELD_OUT = "held-out"
# More different references than this are no labels.
MOST_LABELS = 40
# A length this many times the middle spread beyond the upper quarter is an outlier (Tukey 1977).
FENCE = 3.0


@dataclass(frozen=True)
class Lengths:
    """Characters of a column's values: least, quartiles, 95th percentile, greatest; empty ones."""

    least: int
    lower: float
    median: float
    upper: float
    p95: float
    greatest: int
    empty: int


@dataclass(frozen=True)
class Quality:
    """duplicates: near-duplicate pairs; leaks: those of them across working and held-out.

    labels: how often each reference occurs, where references are labels, else
    None. outliers: positions of cases far longer than the rest. tags: how often
    each occurs. smallest_difference: see `smallest_difference`.
    """

    n: int
    duplicates: list[NearPair]
    leaks: list[NearPair]
    labels: dict[str, int] | None
    lengths: dict[str, Lengths]
    empty: list[int]
    outliers: list[int]
    tags: dict[str, int]
    smallest_difference: float | None


def examine(
    inputs: Sequence[Mapping[str, Any]],
    references: Sequence[str | None],
    splits: Sequence[str],
    tags: Sequence[Sequence[str]],
    *,
    near: bool = True,
) -> Quality:
    """Look at a set of cases; the four lists run in parallel.

    near: whether near-duplicates are looked for, which takes most of the time.
    """
    columns = list(dict.fromkeys(name for row in inputs for name in row))
    texts = ["\n".join(_text(row.get(c)) for c in columns) for row in inputs]
    pairs = near_duplicates(texts) if near else []
    lengths = {c: _lengths([len(_text(row.get(c))) for row in inputs]) for c in columns}
    sizes = [len(t.strip()) for t in texts]
    fence = _fence(sizes)
    return Quality(
        len(inputs),
        pairs,
        [p for p in pairs if (splits[p.a] == HELD_OUT) != (splits[p.b] == HELD_OUT)],
        _labels(references),
        lengths,
        [i for i, size in enumerate(sizes) if size == 0],
        [i for i, size in enumerate(sizes) if size > fence],
        dict(Counter(t for row in tags for t in row).most_common()),
        smallest_difference(sum(s != HELD_OUT for s in splits)),
    )


def smallest_difference(n_cases: int, spread: float = 0.5) -> float | None:
    """The difference of two means that n paired cases show in four trials of five.

    (z0.975 + z0.80) × spread ÷ √n, two-sided at 5 %; spread is the standard
    deviation of the case differences (0.5 where a quarter of all cases change
    between wrong and right). None without cases.

    >>> round(smallest_difference(100), 2)
    0.14
    """
    if n_cases < 1:
        return None
    return min(1.0, (1.959963984540054 + 0.8416212335729143) * spread / math.sqrt(n_cases))


def _text(value: Any) -> str:
    return "" if value is None else value_as_text(value)


def _quantile(ordered: Sequence[int], share: float) -> float:
    place = share * (len(ordered) - 1)
    low = math.floor(place)
    high = min(low + 1, len(ordered) - 1)
    return ordered[low] + (ordered[high] - ordered[low]) * (place - low)


def _lengths(sizes: list[int]) -> Lengths:
    ordered = sorted(sizes)
    return Lengths(
        ordered[0],
        _quantile(ordered, 0.25),
        _quantile(ordered, 0.5),
        _quantile(ordered, 0.75),
        _quantile(ordered, 0.95),
        ordered[-1],
        sum(s == 0 for s in ordered),
    )


def _fence(sizes: list[int]) -> float:
    if len(sizes) < 8:
        return math.inf
    ordered = sorted(sizes)
    lower, upper = _quantile(ordered, 0.25), _quantile(ordered, 0.75)
    return upper + FENCE * max(upper - lower, 10.0)


def _labels(references: Sequence[str | None]) -> dict[str, int] | None:
    known = [r.strip() for r in references if r is not None and r.strip()]
    counts = Counter(known)
    if not known or len(counts) > MOST_LABELS or len(counts) > max(2, len(known) // 2):
        return None
    return dict(counts.most_common())
