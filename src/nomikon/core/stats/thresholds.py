"""Thresholds: met, missed or unsure, by the interval and not by the point estimate."""

from __future__ import annotations

MET, MISSED, UNSURE = "met", "missed", "unsure"


def threshold_state(
    low: float | None,
    high: float | None,
    *,
    at_least: float | None = None,
    at_most: float | None = None,
) -> str:
    """What an interval says of a threshold.

    low, high: ends of the interval, None where no figure exists. Give one of
    at_least and at_most. Met when the whole interval is on the right side of
    the threshold (its end may touch it), missed when all of it is on the wrong
    one, unsure otherwise.

    >>> threshold_state(0.71, 0.83, at_least=0.7)
    'met'
    >>> threshold_state(0.66, 0.83, at_least=0.7)
    'unsure'
    """
    assert (at_least is None) != (at_most is None)
    if low is None or high is None:
        return UNSURE
    if at_least is not None:
        return MET if low >= at_least else MISSED if high < at_least else UNSURE
    assert at_most is not None
    return MET if high <= at_most else MISSED if low > at_most else UNSURE
