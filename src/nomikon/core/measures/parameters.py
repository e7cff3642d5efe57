"""Checking what measures are given: ranges, lists, flags, patterns."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import regex

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Score
from nomikon.core.measures.declared import NUMBER, Parameter

# A pattern that backtracks for longer than this is given up on.
PATTERN_S = 0.25


def flag(parameters: Mapping[str, Any], name: str, default: bool = False) -> bool:
    """true or false."""
    value = parameters.get(name, default)
    if not isinstance(value, bool):
        raise MeasureError(f"{name} must be true or false", field=name)
    return value


def number(
    parameters: Mapping[str, Any], name: str, *, low: float = 0.0, default: float | None = None
) -> float | None:
    """A finite number from `low`; the default where it is left out."""
    value = parameters.get(name, default)
    if value is None:
        return None
    good = isinstance(value, (int, float)) and not isinstance(value, bool) and math.isfinite(value)
    if not good or value < low:
        raise MeasureError(f"{name} is {value!r}; it must be a number from {low:g}", field=name)
    return float(value)


def whole(parameters: Mapping[str, Any], name: str, default: int | None = None) -> int | None:
    """A whole number from 0."""
    value = parameters.get(name, default)
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int) or value < 0:
        raise MeasureError(f"{name} is {value!r}; it must be a whole number from 0", field=name)
    return int(value)


def phrases(parameters: Mapping[str, Any], name: str, *, needed: bool = False) -> list[str]:
    """A list of texts, none empty; one text alone counts as a list of one."""
    value = parameters.get(name)
    if value is None and not needed:
        return []
    found = [value] if isinstance(value, str) else value
    good = isinstance(found, (list, tuple)) and all(isinstance(p, str) and p for p in found)
    if not good or (needed and not found):
        raise MeasureError(f"{name} must be a list of texts, none empty", field=name)
    return list(found or [])


def one_of(parameters: Mapping[str, Any], name: str, allowed: tuple[str, ...], default: str) -> str:
    """One of a few words."""
    value = parameters.get(name, default)
    if value not in allowed:
        raise MeasureError(f"{name} is {value!r}; allowed are {', '.join(allowed)}", field=name)
    return str(value)


def pattern(parameters: Mapping[str, Any], name: str, ignore_case: bool) -> regex.Pattern[str]:
    """A regular expression, read once. Raises MeasureError with the place of a mistake."""
    value = parameters.get(name)
    if not isinstance(value, str) or not value:
        raise MeasureError(f"{name} must be a regular expression", field=name)
    try:
        return regex.compile(value, regex.IGNORECASE if ignore_case else 0)
    except regex.error as error:
        place = f" at position {error.pos}" if error.pos is not None else ""
        raise MeasureError(
            f"{name} is no regular expression{place}: {error.msg}", field=name
        ) from error


class Bounds:
    """min, max or both, ends included."""

    def __init__(self, measure: str, parameters: Mapping[str, Any], *, needed: bool = True) -> None:
        self.low = number(parameters, "min")
        self.high = number(parameters, "max")
        if needed and self.low is None and self.high is None:
            raise MeasureError(f"{measure} needs min, max or both", field="max")
        if self.low is not None and self.high is not None and self.low > self.high:
            raise MeasureError(f"min ({self.low:g}) is above max ({self.high:g})", field="min")

    def score(self, value: float, told: str) -> Score:
        """1 within, 0 outside, and why."""
        if self.low is not None and value < self.low:
            return Score(0.0, f"{told}, at least {self.low:g} wanted")
        if self.high is not None and value > self.high:
            return Score(0.0, f"{told}, at most {self.high:g} allowed")
        return Score(1.0, told)


BOUNDS = {
    "min": Parameter("least value (optional)", NUMBER),
    "max": Parameter("greatest value (optional)", NUMBER),
}
