"""Measures: one module per family, one registry, and the scorecard that weighs them."""

from nomikon.core.measures.asking import AskingMeasure, JudgeRequest, TwinRequest
from nomikon.core.measures.base import (
    Answer,
    GroupMeasure,
    JudgeReply,
    Measure,
    Score,
    Turn,
)
from nomikon.core.measures.judging import JudgeMeasure
from nomikon.core.measures.registry import MEASURES, make_measure
from nomikon.core.measures.scorecard import (
    DEFAULT_MARGIN,
    TOTAL,
    Scorecard,
    Scores,
    Threshold,
    judge_requests,
    read_scorecard,
    requests_of,
    score_answer,
    score_group,
)
from nomikon.core.measures.unlooked import not_looked_at

__all__ = [
    "DEFAULT_MARGIN",
    "MEASURES",
    "TOTAL",
    "Answer",
    "AskingMeasure",
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
    "TwinRequest",
    "judge_requests",
    "make_measure",
    "not_looked_at",
    "read_scorecard",
    "requests_of",
    "score_answer",
    "score_group",
]
