"""The one list of measures."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Measure
from nomikon.core.measures.content import Contains, NotContains
from nomikon.core.measures.content_more import Keywords, NoFirstPerson, Questions, Repetition
from nomikon.core.measures.expression import Expression
from nomikon.core.measures.faithfulness import Faithful
from nomikon.core.measures.length import Length
from nomikon.core.measures.match import ExactMatch, NormalisedMatch
from nomikon.core.measures.match_more import NumberMatch, OneOf, RegexMatch, SetOverlap
from nomikon.core.measures.overlap import (
    Bleu,
    Chrf,
    EditSimilarity,
    Rouge1,
    Rouge2,
    RougeL,
    TfIdfCosine,
)
from nomikon.core.measures.shape import CsvShape, MarkdownShape, ValidJson, XmlWellFormed
from nomikon.core.measures.structure import JsonFields, JsonSchema
from nomikon.core.measures.style import (
    Formality,
    Language,
    Politeness,
    ReadingEase,
    SentenceLength,
)
from nomikon.core.measures.use import Answered, Cost, Latency, NoLeak

# By family, in the order in which they are offered.
FAMILIES: dict[str, tuple[type[Measure], ...]] = {
    "match": (ExactMatch, NormalisedMatch, OneOf, RegexMatch, NumberMatch, SetOverlap),
    "structure": (JsonFields, JsonSchema, ValidJson, XmlWellFormed, CsvShape, MarkdownShape),
    "length": (Length,),
    "content": (Contains, NotContains, Keywords, Repetition, NoFirstPerson, Questions),
    "overlap": (Rouge1, Rouge2, RougeL, Chrf, Bleu, EditSimilarity, TfIdfCosine),
    "style": (ReadingEase, SentenceLength, Formality, Politeness, Language),
    "faithfulness": (Faithful,),
    "use": (Answered, NoLeak, Cost, Latency),
    "own": (Expression,),
}
MEASURES: dict[str, type[Measure]] = {m.name: m for row in FAMILIES.values() for m in row}


def make_measure(name: str, parameters: Mapping[str, Any]) -> Measure:
    """A measure with its parameters checked. Raises MeasureError naming what is wrong."""
    if name not in MEASURES:
        raise MeasureError(
            f"unknown measure {name!r}; known are {', '.join(MEASURES)}", field="measure"
        )
    return MEASURES[name](**parameters)
