"""Checking what measures are given: ranges, lists, flags, patterns."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any, Protocol

import regex

from nomikon.core.errors import MeasureError
from nomikon.core.foreign_words import of_pattern
from nomikon.core.measures.base import Score
from nomikon.core.measures.declared import CHOICE, FLAG, NUMBER, TEXTS, WHOLE, Parameter

# A pattern that backtracks for longer than this is given up on.
PATTERN_S = 0.25


class Declares(Protocol):
    """What has a name and declares its parameters: a measure."""

    @property
    def name(self) -> str: ...

    @property
    def parameters(self) -> Mapping[str, Parameter | str]: ...


def given(measure: Declares, parameters: Mapping[str, Any], name: str) -> Any:
    """A parameter as the measure declares it: its sort, its range, its default.

    A flag is a bool, a text list a list, a choice one of its options, a number a float or int, or
    None where it may be left out. Raises MeasureError at the parameter.
    """
    told = measure.parameters[name]
    assert isinstance(told, Parameter)
    value = parameters.get(name)
    if value is None and told.needed:
        raise MeasureError(f"{measure.name} needs {name}: {told.words}", field=name)
    return _READERS[told.sort](told, value, name)


def _flag(told: Parameter, value: Any, name: str) -> bool:
    value = (told.default or False) if value is None else value
    if not isinstance(value, bool):
        raise MeasureError(f"{name} must be true or false", field=name)
    return value


def _number(told: Parameter, value: Any, name: str) -> float | None:
    value = told.default if value is None else value
    if value is None:
        return None
    good = isinstance(value, (int, float)) and not isinstance(value, bool) and math.isfinite(value)
    if not good or not _within(told, value):
        raise MeasureError(f"{name} is {value!r}; it must be a number {_range(told)}", field=name)
    return float(value)


def _whole(told: Parameter, value: Any, name: str) -> int | None:
    value = told.default if value is None else value
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int) or not _within(told, value):
        raise MeasureError(
            f"{name} is {value!r}; it must be a whole number {_range(told)}", field=name
        )
    return int(value)


def _within(told: Parameter, value: float) -> bool:
    return told.low <= value and (told.high is None or value <= told.high)


def _range(told: Parameter) -> str:
    return f"from {told.low:g}" + ("" if told.high is None else f" to {told.high:g}")


def _phrases(told: Parameter, value: Any, name: str) -> list[str]:
    # One text alone counts as a list of one.
    if value is None:
        return []
    found = [value] if isinstance(value, str) else value
    good = isinstance(found, (list, tuple)) and all(isinstance(p, str) and p for p in found)
    if not good or (told.needed and not found):
        raise MeasureError(f"{name} must be a list of texts, none empty", field=name)
    return list(found)


def _one_of(told: Parameter, value: Any, name: str) -> str:
    value = told.options[0] if value is None else value
    if value not in told.options:
        raise MeasureError(
            f"{name} is {value!r}; allowed are {', '.join(told.options)}", field=name
        )
    return str(value)


_READERS: dict[str, Callable[[Parameter, Any, str], Any]] = {
    FLAG: _flag,
    NUMBER: _number,
    WHOLE: _whole,
    TEXTS: _phrases,
    CHOICE: _one_of,
}


def pattern(parameters: Mapping[str, Any], name: str, ignore_case: bool) -> regex.Pattern[str]:
    """A regular expression, read once. Raises MeasureError with the place of a mistake."""
    value = parameters.get(name)
    if not isinstance(value, str) or not value:
        raise MeasureError(f"{name} must be a regular expression", field=name)
    try:
        return regex.compile(value, regex.IGNORECASE if ignore_case else 0)
    except (regex.error, ValueError) as error:
        pos = getattr(error, "pos", None)
        place = f" at position {pos}" if pos is not None else ""
        raise MeasureError(
            f"{name} is no regular expression{place}: {of_pattern(error)}", field=name
        ) from error


class Bounds:
    """min, max or both, ends included."""

    def __init__(self, measure: str, parameters: Mapping[str, Any], *, needed: bool = True) -> None:
        self.low = _number(BOUNDS["min"], parameters.get("min"), "min")
        self.high = _number(BOUNDS["max"], parameters.get("max"), "max")
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
