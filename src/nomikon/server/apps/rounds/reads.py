"""What rounds answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, TypedDict

from nomikon.server.apps.verdicts.reads import GapShape, HeldDifference
from nomikon.server.typed import Field, OneOf


class RoundsProblem(TypedDict):
    severity: Annotated[str, OneOf("error", "warning", "ask")]
    arm: str
    text: str


class RoundsPlanShape(TypedDict):
    calls: int
    cost: int | None
    simulated_cost: int
    n_working: int
    n_held_out: int
    looks: int
    instruction: str
    unpriced: list[str]
    problems: list[RoundsProblem]


class RoundsRow(TypedDict):
    id: int
    number: int
    state: Annotated[str, OneOf("running", "ended", "stopped", "failed")]
    stopping: bool
    message: str
    start: int
    best: int
    model: str
    simulated: bool
    settings_short: str
    amender: str
    most_rounds: int
    candidates: int
    budget: int | None
    spent: Annotated[int, Field(help_text="all told")]
    simulated_spent: Annotated[int, Field(help_text="the part of it on simulated models")]
    scorecard: int
    dataset_version: int
    created_at: datetime
    ended_at: datetime | None


class MeasuredShape(TypedDict):
    mean: float | None
    low: float | None
    high: float | None
    cost_per_1000: int | None


class RoundPoint(MeasuredShape):
    round: int
    version: int
    tokens: int


class AgainstParent(TypedDict):
    mean: float | None
    difference: float | None
    low: float | None
    high: float | None
    p: float | None
    n_cases: int
    left_after: int | None


class RoundFault(TypedDict):
    title: str
    label: str
    source: str
    n: int
    cases: int


class RoundReason(TypedDict):
    kind: str
    clause: int
    text: str
    reason: str


class RoundRefusal(TypedDict):
    place: int
    reason: str


class CandidateShape(TypedDict):
    place: int
    faults: list[int]
    answered: bool
    why: str
    refused: list[RoundRefusal]
    version: int | None
    reasons: list[RoundReason]
    cost: int | None
    figures: AgainstParent | None


class RoundShape(TypedDict):
    number: int
    phase: Annotated[str, OneOf("measuring", "asking", "testing", "decided")]
    parent: int
    kept: int | None
    why: str
    measured: int | None
    tested: int | None
    spared: int
    faults: list[RoundFault]
    candidates: list[CandidateShape]


class HeldOutShape(TypedDict):
    trial: int
    trial_number: int
    state: str
    start: MeasuredShape
    best: MeasuredShape
    difference: HeldDifference | None
    gap: GapShape | None


class CourseShape(RoundsRow):
    instruction: str
    points: list[RoundPoint]
    rounds: list[RoundShape]
    held_out: HeldOutShape | None
    looks: int
