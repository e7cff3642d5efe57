"""Holm's step-down correction for several tests."""

from __future__ import annotations

from collections.abc import Sequence


def holm(p_values: Sequence[float]) -> list[float]:
    """Adjusted p-values in the order given; reject where at most the level.

    Source: Holm (1979), Scandinavian Journal of Statistics 6, 65–70.

    >>> [round(p, 3) for p in holm([0.01, 0.04, 0.03])]
    [0.03, 0.06, 0.06]
    """
    m = len(p_values)
    order = sorted(range(m), key=lambda i: p_values[i])
    adjusted = [0.0] * m
    running = 0.0
    for rank, index in enumerate(order):
        running = max(running, min(1.0, (m - rank) * p_values[index]))
        adjusted[index] = running
    return adjusted


def held_at(p_values: Sequence[float], alpha: float) -> list[float]:
    """What each p is held to, in the order given: alpha ÷ the tests still open at its turn.

    From the first that fails on, all are held to what that one was.

    >>> held_at([0.01, 0.04, 0.03], 0.06)
    [0.02, 0.06, 0.03]
    """
    m = len(p_values)
    held = [alpha] * m
    failed: float | None = None
    for rank, index in enumerate(sorted(range(m), key=lambda i: p_values[i])):
        own = alpha / (m - rank) if failed is None else failed
        held[index] = own
        if failed is None and p_values[index] > own:
            failed = own
    return held
