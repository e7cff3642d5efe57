"""Resampling of cases: seeded, and the same at any batch size."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

# Every block of this many resamples has a generator of its own, spawned from
# the seed and the block's number. What a resample draws thus depends on neither
# the batch size nor the memory at hand.
BLOCK = 100


def resample_counts(n_cases: int, *, n_resamples: int, seed: int) -> Iterator[NDArray[np.float64]]:
    """How often each case is drawn, block by block of resamples.

    Yields float arrays of shape (at most BLOCK, n_cases) whose rows sum to
    n_cases. All arms of a comparison share these draws, so that differences
    are paired and one matrix product serves every arm.
    """
    for block in range(0, n_resamples, BLOCK):
        size = min(BLOCK, n_resamples - block)
        rng = np.random.default_rng(np.random.SeedSequence(seed, spawn_key=(block // BLOCK,)))
        draws = rng.integers(0, n_cases, size=(BLOCK, n_cases), dtype=np.int64)[:size]
        counts = np.empty((size, n_cases))
        # Row by row is faster than one count over all rows: each row stays in the cache.
        for row in range(size):
            counts[row] = np.bincount(draws[row], minlength=n_cases)
        yield counts


def resampled_means(values: Floats, *, n_resamples: int, seed: int) -> Floats:
    """Means of resampled cases, shape (n_resamples, n_columns).

    values: shape (n_cases, n_columns), finite; the same cases are drawn for
    every column.
    """
    n_cases = values.shape[0]
    parts = [
        counts @ values / n_cases
        for counts in resample_counts(n_cases, n_resamples=n_resamples, seed=seed)
    ]
    return np.concatenate(parts, axis=0)
