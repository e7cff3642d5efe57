"""Resampling of cases: seeded, and the same at any batch size."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from threadpoolctl import ThreadpoolController

Floats = NDArray[np.float64]
T = TypeVar("T")

# Every block of this many resamples has a generator of its own, spawned from
# the seed and the block's number. What a resample draws thus depends on neither
# the batch size nor the memory at hand.
BLOCK = 100
# Fewer draws than these are made faster than threads are started.
WORTH_SHARING = 2_000_000


@cache
def _libraries() -> ThreadpoolController:
    """The numerical libraries of this process, looked up once."""
    return ThreadpoolController()


def resample_counts(n_cases: int, *, n_resamples: int, seed: int) -> Iterator[NDArray[np.float64]]:
    """How often each case is drawn, block by block of resamples.

    Yields float arrays of shape (at most BLOCK, n_cases) whose rows sum to
    n_cases. All arms of a comparison share these draws, so that differences
    are paired and one matrix product serves every arm.
    """
    for block in range(0, n_resamples, BLOCK):
        yield resample_block(n_cases, min(BLOCK, n_resamples - block), seed, block // BLOCK)


def resample_block(n_cases: int, size: int, seed: int, number: int) -> Floats:
    """One block of `resample_counts`: the `number`-th, of `size` resamples."""
    rng = np.random.default_rng(np.random.SeedSequence(seed, spawn_key=(number,)))
    draws = rng.integers(0, n_cases, size=(size, n_cases), dtype=np.int64)
    # All rows in one call each: many short calls from two threads wait for each other, and take
    # three times as long.
    draws += np.arange(size)[:, None] * n_cases
    counts = np.bincount(draws.ravel(), minlength=size * n_cases)
    return counts.reshape(size, n_cases).astype(np.float64)


def resampled_means(
    values: Floats, *, n_resamples: int, seed: int, sizes: Floats | None = None
) -> Floats:
    """Means of resampled cases, shape (n_resamples, n_columns).

    values: shape (n_cases, n_columns), finite; the same cases are drawn for
    every column. sizes: where rows are means of sources, how many cases each has; sources are
    then drawn whole. Many draws are shared among the processors, which changes no
    figure: every block is drawn by a generator of its own.
    """
    n_cases = values.shape[0]

    def means(block: int) -> Floats:
        counts = resample_block(n_cases, min(BLOCK, n_resamples - block), seed, block // BLOCK)
        if sizes is not None:
            counts = counts * sizes
            return np.asarray(counts @ values / counts.sum(axis=1, keepdims=True))
        found: Floats = counts @ values / n_cases
        return found

    made = shared(means, range(0, n_resamples, BLOCK), work=n_cases * n_resamples)
    return np.concatenate(made, axis=0)


def shared(part: Callable[[int], T], blocks: Sequence[int], *, work: int) -> list[T]:
    """part of every block, in order; shared among the processors where there is enough work.

    part must not depend on what other blocks did. work: about how many draws it is in all.
    """
    workers = os.cpu_count() or 1
    if workers == 1 or work < WORTH_SHARING:
        return [part(b) for b in blocks]
    # Each of our threads multiplies by itself: threads of threads would wait for each other.
    with _libraries().limit(limits=1, user_api="blas"), ThreadPoolExecutor(workers) as pool:
        return list(pool.map(part, blocks))
