"""What verdicts takes."""

from __future__ import annotations

from typing import Annotated, TypedDict

from nomikon.server.typed import Blank, Field


class AdoptRequest(TypedDict):
    arm: int
    against: Annotated[int | None, Field(required=False, default=None)]
    reason: Blank


class WatchRequest(TypedDict):
    cases: int
    planned: Annotated[int, Field(required=False, default=12)]
    every_days: Annotated[int | None, Field(required=False, default=None)]
