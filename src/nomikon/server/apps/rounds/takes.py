"""What rounds takes."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Any, TypedDict

from nomikon.server.typed import Field


class RoundsRequest(TypedDict):
    version: int
    model: int
    settings: Annotated[dict[str, Any], Field(required=False, default=dict)]
    dataset_version: int
    amender: int
    instruction: Annotated[str, Field(required=False, default="")]
    rounds: Annotated[int, Field(required=False, default=2)]
    candidates: Annotated[int, Field(required=False, default=3)]
    repeats: Annotated[int, Field(required=False, default=1)]


class StartRoundsRequest(RoundsRequest):
    budget: Annotated[Decimal | None, Field(required=False, default=None)]
