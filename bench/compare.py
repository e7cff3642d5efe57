"""Comparing 10 arms on many cases, beside a bootstrap per arm by SciPy."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
import scipy.stats

from nomikon.core.stats import ScoreRow, compare

ARMS, REPEATS, RESAMPLES = 10, 3, 10_000


def measure() -> list[dict[str, Any]]:
    """One row per size; the second doubles the first, so that growth shows."""
    return [_at(n) for n in (5000, 10_000)]


def _at(n_cases: int) -> dict[str, Any]:
    rng = np.random.default_rng(0)
    scores = rng.beta(4, 2, size=(ARMS, n_cases, REPEATS))
    rows = [
        ScoreRow(f"a{a}", str(c), r, float(scores[a, c, r]))
        for a in range(ARMS)
        for c in range(n_cases)
        for r in range(REPEATS)
    ]
    began = time.perf_counter()
    ours = compare(rows, against="a0", n_resamples=RESAMPLES)
    taken = time.perf_counter() - began
    means = scores.mean(axis=2)
    began = time.perf_counter()
    theirs = [
        scipy.stats.bootstrap(
            (means[a],), np.mean, n_resamples=RESAMPLES, method="BCa", batch=100, rng=a
        ).confidence_interval
        for a in range(ARMS)
    ]
    floor = time.perf_counter() - began
    worst = max(abs(mine.low - their.low) for mine, their in zip(ours.arms, theirs, strict=True))
    return {
        "what": f"compare {ARMS} arms × {n_cases} cases × {REPEATS}, ends differ by {worst:.4f}",
        "ours": f"{taken:.2f} s",
        "floor": f"{floor:.2f} s",
        "ratio": floor / taken,
        "goal": "at least 10 times as fast (at 10,000 cases)",
    }
