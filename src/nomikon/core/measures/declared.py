"""A parameter of a measure, declared once: its words, what sort of value it takes, its default."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

TEXT, LONG, TEXTS, WHOLE, NUMBER, FLAG = "text", "long", "texts", "whole", "number", "flag"
CHOICE, JSON, CRITERIA, MODEL = "choice", "json", "criteria", "model"
SORTS = (TEXT, LONG, TEXTS, WHOLE, NUMBER, FLAG, CHOICE, JSON, CRITERIA, MODEL)

_SCHEMAS: dict[str, dict[str, Any]] = {
    TEXT: {"type": "string"},
    LONG: {"type": "string"},
    TEXTS: {"anyOf": [{"type": "string"}, {"type": "array", "items": {"type": "string"}}]},
    WHOLE: {"type": "integer"},
    NUMBER: {"type": "number"},
    FLAG: {"type": "boolean"},
    CHOICE: {"type": "string"},
    JSON: {},
    CRITERIA: {"type": "array", "items": {"type": "object"}},
    MODEL: {"type": "string"},
}


@dataclass(frozen=True)
class Parameter:
    """words: what it is for. sort: one of SORTS. options: of a choice, the default first.

    default: what stands where it is not given; of a flag false, where nothing is said. low, high:
    of a number, both ends included. needed: without it there is no such measure.
    """

    words: str
    sort: str = JSON
    options: tuple[str, ...] = ()
    default: Any = None
    low: float = 0
    high: float | None = None
    needed: bool = False

    def schema(self) -> dict[str, Any]:
        """As JSON Schema.

        >>> Parameter("true to let case differ", FLAG).schema()
        {'description': 'true to let case differ', 'type': 'boolean'}
        >>> Parameter("how often", WHOLE, default=1, low=1, high=9).schema()
        {'description': 'how often', 'type': 'integer', 'default': 1, 'minimum': 1, 'maximum': 9}
        """
        found = {"description": self.words, **_SCHEMAS[self.sort]}
        if self.default is not None:
            found["default"] = self.default
        if self.sort in (WHOLE, NUMBER):
            found["minimum"] = self.low
            found |= {} if self.high is None else {"maximum": self.high}
        return {**found, "enum": list(self.options)} if self.options else found


def declared(parameters: Mapping[str, Parameter | str]) -> dict[str, Parameter]:
    """Parameters of a measure; words alone (a measure installed beside ours) take any JSON."""
    return {n: p if isinstance(p, Parameter) else Parameter(p) for n, p in parameters.items()}
