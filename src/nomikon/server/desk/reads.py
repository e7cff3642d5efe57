"""What desk answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, TypedDict

from nomikon.server.apps.briefs.reads import ScorecardShape
from nomikon.server.apps.datasets.reads import DatasetShape
from nomikon.server.apps.ledger.reads import LineShape, SpendDay
from nomikon.server.typed import Field, OneOf


class SpineScoreShape(TypedDict):
    mean: float
    low: float | None
    high: float | None
    trial: int
    ahead_of: Annotated[list[int], Field(help_text="versions it is shown to be ahead of")]


class VersionFacts(TypedDict):
    id: int
    number: int
    parent: int | None
    second_parent: int | None
    note: str
    tags: list[str]
    archived: bool
    origin: str
    adopted: bool
    created_at: datetime
    score: SpineScoreShape | None


class StageShape(TypedDict):
    stage: str
    words: str


class SpineBasis(TypedDict):
    model: str
    model_short: str
    settings: str
    scorecard: int
    dataset_version: int
    split: str


class WaitingShape(TypedDict):
    words: str
    to: Annotated[str, Field(help_text="the address within the brief")]


class BriefDetail(TypedDict):
    id: int
    name: str
    job: str
    task: str
    stages: list[StageShape]
    versions: list[VersionFacts]
    basis: SpineBasis | None
    adopted: int | None
    datasets: list[DatasetShape]
    scorecard: ScorecardShape | None
    next: Annotated[
        WaitingShape | None, Field(help_text="what comes next; to: an address of the program")
    ]
    last_event: int


class CoursePoint(TypedDict):
    version: int
    mean: float


class DocketEntry(TypedDict):
    id: int
    name: str
    job: str
    state: str
    course: list[CoursePoint]
    best: SpineScoreShape | None
    best_label: str
    waiting: list[WaitingShape]
    spent: int
    simulated: Annotated[int, Field(help_text="what simulated models came to; nobody pays it")]


class DeskShape(TypedDict):
    briefs: list[DocketEntry]
    lately: list[LineShape]
    month: str
    spend_days: list[SpendDay]
    spent_month: int
    simulated_month: int


class FoundShape(TypedDict):
    kind: Annotated[str, OneOf("trial", "case", "answer")]
    label: str
    hint: str
    to: Annotated[str, Field(help_text="the address on the page")]


class SessionShape(TypedDict):
    csrf: str
    actor: str
    currency: str
    worker: Annotated[str, OneOf("running", "idle", "stopped")]
    is_open: Annotated[bool, Field(help_text="other machines reach the page, and nobody signs in")]
    running_trials: int
    spent_month: int
    simulated_month: int
    month: str
