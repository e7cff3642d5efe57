"""What weights answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, TypedDict

from nomikon.server.apps.rounds.reads import RoundsProblem
from nomikon.server.typed import Field, OneOf


class LockedClause(TypedDict):
    clause: int
    why: str


class FreeClause(TypedDict):
    clauses: list[int]
    tokens: int


class WeighedLine(TypedDict):
    number: int
    role: str
    first: bool
    text: str


class WeighingPlanShape(TypedDict):
    lines: list[WeighedLine]
    free: list[FreeClause]
    locked: list[LockedClause]
    rows: int
    at_most_out: int
    n_cases: int
    n_working: int
    suggested: int
    calls: int
    one_by_one: int
    cost: int | None
    simulated_cost: int
    in_store: int | None
    unpriced: list[str]
    problems: list[RoundsProblem]


class WeighingRow(TypedDict):
    id: int
    version: int
    model: str
    simulated: bool
    settings_short: str
    trial: int
    trial_number: int
    state: Annotated[str, OneOf("queued", "running", "complete", "paused", "cancelled", "failed")]
    message: str
    done: int
    of: int
    rows: int
    n_cases: int
    repeats: int
    scorecard: int
    margin: float
    created_at: datetime
    created_by: str


class ClauseWeightShape(FreeClause):
    cost_per_1000: int | None
    weight: float | None
    low: float | None
    high: float | None
    p_holm: float | None
    verdict: Annotated[str, OneOf("earns", "hurts", "does nothing", "cannot tell", "")]


class ClausePairShape(TypedDict):
    kind: Annotated[str, OneOf("say the same", "need each other")]
    candidates: Annotated[
        list[list[list[int]]],
        Field(
            help_text="pairs that these rows cannot tell apart, each two groups of clause numbers"
        ),
    ]
    extra: float
    low: float
    high: float
    p_holm: float


class StruckPairShape(TypedDict):
    clauses: list[int]
    difference: float | None
    low: float | None
    high: float | None
    alone: Annotated[float | None, Field(help_text="the sum of what each is worth alone")]
    matters: Annotated[bool, Field(help_text="more is lost without both than that, beyond chance")]


class StrikeShape(TypedDict):
    id: int
    trial: int
    trial_number: int
    state: Annotated[str, OneOf("queued", "running", "complete", "paused", "cancelled", "failed")]
    message: str
    done: int
    of: int
    n_cases: int
    clauses: list[int]
    tokens: int
    difference: float | None
    low: float | None
    high: float | None
    no_worse: bool | None
    words: str
    pairs: list[StruckPairShape]


class WeighingShape(WeighingRow):
    lines: list[WeighedLine]
    clauses: list[ClauseWeightShape]
    locked: list[LockedClause]
    pairs: list[ClausePairShape]
    full: float | None
    n_used: int
    n_dropped: int
    pairs_met: int
    pairs_of: int
    misfit: Annotated[
        float, Field(help_text="spread of texts about what weights and pairs explain")
    ]
    why_null: str
    strikable: list[int]
    strikes: list[StrikeShape]


class StrikePlanShape(TypedDict):
    arms: int
    n_cases: int
    calls: int
    cost: int | None
    simulated_cost: int
    in_store: int | None
    tokens: int
    pairs: list[list[int]]


class TrimmedShape(TypedDict):
    number: int


class FailedLine(TypedDict):
    brief: int
    brief_name: str
    verdict: Annotated[str, OneOf("hurts", "does nothing")]
    weight: float
    low: float
    high: float


class EarnedLine(TypedDict):
    text: str
    task: str
    brief: int
    brief_name: str
    version: int
    weighing: int
    model: str
    simulated: bool
    n_cases: int
    weight: Annotated[float, Field(help_text="what it adds to the mean score")]
    low: float
    high: float
    kept: Annotated[bool, Field(help_text="whether the newest version still says it")]
    failed: Annotated[list[FailedLine], Field(help_text="where else it did nothing, or hurt")]
