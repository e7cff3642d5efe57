"""The one list of measures."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Measure
from nomikon.core.measures.content import Contains, NotContains
from nomikon.core.measures.length import Length
from nomikon.core.measures.match import ExactMatch, NormalisedMatch
from nomikon.core.measures.structure import JsonFields, JsonSchema

MEASURES: dict[str, type[Measure]] = {
    m.name: m
    for m in (ExactMatch, NormalisedMatch, JsonFields, JsonSchema, Length, Contains, NotContains)
}


def make_measure(name: str, parameters: Mapping[str, Any]) -> Measure:
    """A measure with its parameters checked. Raises MeasureError naming what is wrong."""
    if name not in MEASURES:
        raise MeasureError(
            f"unknown measure {name!r}; known are {', '.join(MEASURES)}", field="measure"
        )
    return MEASURES[name](**parameters)
