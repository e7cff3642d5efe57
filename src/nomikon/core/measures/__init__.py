"""Measures: one module per family, one registry, and the scorecard that weighs them."""

from nomikon.core.measures.base import Answer, Measure, Score
from nomikon.core.measures.registry import MEASURES, make_measure
from nomikon.core.measures.scorecard import (
    DEFAULT_MARGIN,
    TOTAL,
    Scorecard,
    Scores,
    read_scorecard,
    score_answer,
)

__all__ = [
    "DEFAULT_MARGIN",
    "MEASURES",
    "TOTAL",
    "Answer",
    "Measure",
    "Score",
    "Scorecard",
    "Scores",
    "make_measure",
    "read_scorecard",
    "score_answer",
]
