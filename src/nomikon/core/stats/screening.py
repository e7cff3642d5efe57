"""The design of a screening: which clauses each row of it leaves out.

Rows leave several clauses out at once, never more than a quarter, so that each
clause is out in many rows and in in many more: every answer tells something of
every clause. Clauses meet each other as evenly as the rows allow, so that two
that say the same thing can be told from two that say nothing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

AT_MOST_OUT = 4
TRIES = 30


def screening_rows(n_units: int, *, seed: int = 0) -> list[frozenset[int]]:
    """The units that each row leaves out, counted from 0; the first row leaves out none.

    n_units: at least 1. With fewer than eight, a quarter is one: each is left out
    alone. Otherwise as many rows as let most pairs be out together once, at least
    half as many again as there are weights to find and at most twice as many. Of several seeded designs that is taken which lets most pairs meet, and of
    those the one with the smallest mean variance of the weights (A-optimality, Atkinson,
    Donev and Tobias 2007, section 10.1).
    Raises ValueError below 1.

    >>> len(screening_rows(7))
    8
    """
    if n_units < 1:
        raise ValueError("a screening needs a clause to leave out")
    most = max(1, n_units // AT_MOST_OUT)
    if most == 1:
        return [frozenset(), *(frozenset([u]) for u in range(n_units))]
    pairs = n_units * (n_units - 1) / 2
    meeting = math.ceil(1.3 * pairs / (most * (most - 1) / 2))
    n_rows = min(2 * (n_units + 1), max(round(1.5 * (n_units + 1)), meeting))
    rng = np.random.default_rng(seed)
    designs = [_design(n_units, n_rows, most, rng) for _ in range(TRIES)]
    # A pair that never meets cannot be told from others that do: meeting comes first.
    best = min(designs, key=lambda d: (-_met(d), mean_variance(d)))
    return [frozenset(np.flatnonzero(row).tolist()) for row in best]


def mean_variance(out: NDArray[np.bool_]) -> float:
    """Mean variance of a weight, in units of one answer's variance ÷ cases; infinite if some
    weights cannot be told apart."""
    columns = np.column_stack([np.ones(len(out)), -out.astype(np.float64)])
    cross = columns.T @ columns
    if np.linalg.matrix_rank(cross) < len(cross):
        return float("inf")
    return float(np.diag(np.linalg.inv(cross))[1:].mean())


def calls_one_by_one(rows: Sequence[frozenset[int]], n_units: int, n_cases: int) -> int:
    """Calls that leaving out one unit at a time takes to tell the weights as precisely.

    As far as answers vary by chance: from n cases each weight has 2 ÷ n of one answer's variance.
    """
    out = np.array([[u in row for u in range(n_units)] for row in rows])
    return round((n_units + 1) * n_cases * 2 / mean_variance(out))


def _design(n_units: int, n_rows: int, most: int, rng: np.random.Generator) -> NDArray[np.bool_]:
    """Row by row, those units that were out least often and met each other least often."""
    out = np.zeros((n_rows, n_units), dtype=np.bool_)
    times = np.zeros(n_units)
    met = np.zeros((n_units, n_units))
    for row in range(1, n_rows):
        # Rows of two lengths: else the weights' common level would hang on the first row alone.
        size = most if row % 4 else max(1, math.ceil(most / 2))
        chosen = _first_pair(times, met, rng) if size > 1 else []
        while len(chosen) < size:
            cost = times + rng.random(n_units) * 0.5
            if chosen:
                cost = cost + 2 * met[chosen].sum(axis=0)
            cost[chosen] = np.inf
            chosen.append(int(np.argmin(cost)))
        out[row, chosen] = True
        times[chosen] += 1
        met[np.ix_(chosen, chosen)] += 1
    return out


def _first_pair(
    times: NDArray[np.float64], met: NDArray[np.float64], rng: np.random.Generator
) -> list[int]:
    """Two units that have met least, and of those the two that were out least often."""
    a, b = np.triu_indices(len(times), k=1)
    cost = 100 * met[a, b] + times[a] + times[b] + rng.random(len(a)) * 0.5
    least = int(np.argmin(cost))
    return [int(a[least]), int(b[least])]


def _met(out: NDArray[np.bool_]) -> int:
    numbers = out.astype(np.int64)
    together = np.triu(numbers.T @ numbers, k=1)
    return int(np.count_nonzero(together))
