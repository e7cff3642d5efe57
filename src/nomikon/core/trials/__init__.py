"""Trials: the plan, its estimate, the keys of answers, and answers that are none."""

from nomikon.core.trials.breaking_off import breaks_off
from nomikon.core.trials.calibration import Calibration
from nomikon.core.trials.conversation import Conversation, read_conversation
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
from nomikon.core.trials.reading import Piece, ReadAnswer, read_answer
from nomikon.core.trials.states import (
    CANCELLED,
    COMPLETE,
    OPEN_STATES,
    PAUSED,
    QUEUED,
    RUNNING,
    STATES,
    TrialStateError,
    next_state,
)
from nomikon.core.trials.stitching import MAX_CONTINUATIONS, continuation, stitch

__all__ = [
    "ANSWERED",
    "CANCELLED",
    "COMPLETE",
    "CUT",
    "DECLINED",
    "EMPTY",
    "FAILED",
    "MAX_CONTINUATIONS",
    "NANO",
    "OPEN_STATES",
    "OUTCOMES",
    "PAUSED",
    "QUEUED",
    "RUNNING",
    "STATES",
    "Calibration",
    "Cell",
    "Conversation",
    "Estimate",
    "Outcome",
    "Piece",
    "PlannedArm",
    "PlannedCase",
    "Problem",
    "ReadAnswer",
    "TrialStateError",
    "answer_key",
    "breaks_off",
    "case_order",
    "cells_in_order",
    "check_size",
    "continuation",
    "cost_nano",
    "estimate",
    "estimate_tokens",
    "next_state",
    "outcome_of",
    "read_answer",
    "read_conversation",
    "seed_for",
    "stitch",
]
