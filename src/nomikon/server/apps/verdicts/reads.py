"""What verdicts answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, TypedDict

from nomikon.server.apps.trials.reads import ArmShape, ReworkedMean
from nomikon.server.typed import Field, OneOf


class HeldDifference(TypedDict):
    difference: float | None
    low: float | None
    high: float | None
    p: float | None
    n_cases: int


class GapShape(TypedDict):
    working: float | None
    held_out: float | None
    gap: float | None
    low: float | None
    high: float | None
    reading: Annotated[str, OneOf("too closely", "not too closely", "cannot tell")]
    why_null: str | None
    n_working: int
    n_held_out: int


class VerdictShape(TypedDict):
    reworked: ReworkedMean | None
    id: int
    arm: ArmShape
    trial: int
    trial_number: int
    reason: str
    evidence: dict[str, Any]
    decided_at: datetime
    decided_by: str


class CheckedShape(TypedDict):
    trial: int
    trial_number: int
    state: str
    difference: HeldDifference | None
    gap: GapShape | None


class CheckShape(TypedDict):
    looks: int
    n_cases: int
    check: CheckedShape | None


class NoticeShape(TypedDict):
    kind: Annotated[str, OneOf("beaten", "drift")]
    trial: int
    trial_number: int
    words: str


class DriftShape(TypedDict):
    n_cases: int
    before: float | None
    now: float | None
    change: float | None
    low: float | None
    high: float | None
    p: float | None
    level: float
    drifted: bool
    why_null: str | None


class WatchPowerShape(TypedDict):
    words: str
    smallest_fall: Annotated[
        float | None, Field(help_text="what a check sees in 80 of 100 watches")
    ]
    fewest: Annotated[int, Field(help_text="with fewer cases no check could raise an alarm")]
    cases_for_tenth: int | None


class WatchCheckShape(TypedDict):
    number: int
    trial: int
    trial_number: int
    state: str
    at: datetime
    score: DriftShape | None
    cost: Annotated[DriftShape | None, Field(help_text="in billionths of the currency")]
    time: Annotated[DriftShape | None, Field(help_text="in milliseconds")]
    twins: Annotated[DriftShape | None, Field(help_text="where the scorecard has them asked")]
    identity: list[str]
    changed_identity: bool
    drifted: bool
    words: str


class WatchShape(TypedDict):
    id: int
    verdict: int
    arm: ArmShape
    n_cases: int
    planned: int
    used: int
    every_days: int | None
    next_at: datetime | None
    stopped: bool
    over: bool
    trouble: str
    created_at: datetime
    created_by: str
    checks: list[WatchCheckShape]
    drifted: bool


class VerdictStanding(TypedDict):
    verdict: int | None
    n_cases: Annotated[int, Field(help_text="cases of the verdict's trial")]
    notices: list[NoticeShape]
    watch: WatchShape | None


class AdoptionShape(TypedDict):
    reservations: list[str]
    unseen: Annotated[list[str], Field(help_text="what the score does not look at")]
