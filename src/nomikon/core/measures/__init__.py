"""Measures: one module per family, one registry, and the scorecard that weighs them."""

from nomikon.core.measures.base import (
    Answer,
    GroupMeasure,
    JudgeReply,
    Measure,
    Score,
    Turn,
)
from nomikon.core.measures.judging import JudgeMeasure, JudgeRequest
from nomikon.core.measures.registry import MEASURES, make_measure
from nomikon.core.measures.scorecard import (
    DEFAULT_MARGIN,
    TOTAL,
    Scorecard,
    Scores,
    Threshold,
    judge_requests,
    read_scorecard,
    score_answer,
    score_group,
)
from nomikon.core.measures.unlooked import not_looked_at

__all__ = [
    "DEFAULT_MARGIN",
    "MEASURES",
    "TOTAL",
    "Answer",
    "GroupMeasure",
    "JudgeMeasure",
    "JudgeReply",
    "JudgeRequest",
    "Measure",
    "Score",
    "Scorecard",
    "Scores",
    "Threshold",
    "Turn",
    "judge_requests",
    "make_measure",
    "not_looked_at",
    "read_scorecard",
    "score_answer",
    "score_group",
]
