"""Trials: the plan, its estimate, the keys of answers, and answers that are none."""

from nomikon.core.trials.estimates import NANO, cost_nano, estimate_tokens
from nomikon.core.trials.keys import answer_key, seed_for
from nomikon.core.trials.outcomes import (
    ANSWERED,
    CUT,
    DECLINED,
    EMPTY,
    FAILED,
    OUTCOMES,
    Outcome,
    outcome_of,
)
from nomikon.core.trials.plan import (
    Cell,
    Estimate,
    PlannedArm,
    PlannedCase,
    Problem,
    case_order,
    cells_in_order,
    check_size,
    estimate,
)

__all__ = [
    "ANSWERED",
    "CUT",
    "DECLINED",
    "EMPTY",
    "FAILED",
    "NANO",
    "OUTCOMES",
    "Cell",
    "Estimate",
    "Outcome",
    "PlannedArm",
    "PlannedCase",
    "Problem",
    "answer_key",
    "case_order",
    "cells_in_order",
    "check_size",
    "cost_nano",
    "estimate",
    "estimate_tokens",
    "outcome_of",
    "seed_for",
]
