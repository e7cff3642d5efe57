"""The one list of measures: those that ship, and those installed beside them."""

from __future__ import annotations

from collections.abc import Mapping
from importlib.metadata import EntryPoint
from typing import Any

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Measure
from nomikon.core.measures.consistency import Consistency
from nomikon.core.measures.content import Contains, NotContains
from nomikon.core.measures.content_words import (
    Keywords,
    NoFirstPerson,
    NoGaps,
    Questions,
    Repetition,
)
from nomikon.core.measures.expression import Expression
from nomikon.core.measures.faithful_judge import FaithfulJudge
from nomikon.core.measures.faithfulness import Faithful
from nomikon.core.measures.installed import installed, make_installed
from nomikon.core.measures.length import EachLength, Length
from nomikon.core.measures.match import ExactMatch, NormalisedMatch
from nomikon.core.measures.match_values import NumberMatch, OneOf, RegexMatch, SetOverlap
from nomikon.core.measures.overlap import (
    Bleu,
    Chrf,
    EditSimilarity,
    Rouge1,
    Rouge2,
    RougeL,
    TfIdfCosine,
)
from nomikon.core.measures.preference import Preferred
from nomikon.core.measures.rubric import Rubric
from nomikon.core.measures.shape import CsvShape, MarkdownShape, ValidJson, XmlWellFormed
from nomikon.core.measures.signs import (
    BeginsWith,
    EndsWith,
    NoCharacters,
    NoEndStop,
    PhraseCount,
    RelativeLength,
)
from nomikon.core.measures.structure import JsonFields, JsonSchema
from nomikon.core.measures.style import (
    Formality,
    Language,
    Politeness,
    ReadingEase,
    SentenceLength,
)
from nomikon.core.measures.twin_pairs import Twins
from nomikon.core.measures.use import Answered, Cost, Latency, NoLeak

# By family, in the order in which they are offered.
FAMILIES: dict[str, tuple[type[Measure], ...]] = {
    "match": (ExactMatch, NormalisedMatch, OneOf, RegexMatch, NumberMatch, SetOverlap),
    "structure": (JsonFields, JsonSchema, ValidJson, XmlWellFormed, CsvShape, MarkdownShape),
    "length": (Length, EachLength, RelativeLength),
    "content": (
        Contains,
        NotContains,
        PhraseCount,
        BeginsWith,
        EndsWith,
        NoEndStop,
        NoCharacters,
        Keywords,
        Repetition,
        NoFirstPerson,
        Questions,
        NoGaps,
    ),
    "overlap": (Rouge1, Rouge2, RougeL, Chrf, Bleu, EditSimilarity, TfIdfCosine),
    "style": (ReadingEase, SentenceLength, Formality, Politeness, Language),
    "faithfulness": (Faithful, FaithfulJudge),
    "use": (Answered, NoLeak, Cost, Latency),
    "repeats": (Consistency,),
    "twins": (Twins,),
    "judges": (Rubric, Preferred),
    "own": (Expression,),
}
MEASURES: dict[str, type[Measure]] = {m.name: m for row in FAMILIES.values() for m in row}


def make_measure(name: str, parameters: Mapping[str, Any]) -> Measure:
    """A measure with its parameters checked. Raises MeasureError naming what is wrong.

    >>> from nomikon.core.measures import Answer
    >>> make_measure('length', {'unit': 'words', 'max': 2}).score(Answer('one two three')).why
    '3 words, at most 2 allowed'
    """
    if name in MEASURES:
        return MEASURES[name](**parameters)
    own = own_measures()
    if name not in own:
        raise MeasureError(
            f"unknown measure {name!r}; known are {', '.join([*MEASURES, *own])}", field="measure"
        )
    return make_installed(own[name], parameters)


def own_measures() -> dict[str, EntryPoint]:
    """Measures installed on this server, by name; the shipped ones keep theirs."""
    return {name: entry for name, entry in installed().items() if name not in MEASURES}
