"""What weights takes."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Any, TypedDict

from nomikon.server.typed import Field


class WeighingRequest(TypedDict):
    version: int
    model: int
    settings: Annotated[dict[str, Any], Field(required=False, default=dict)]
    dataset_version: int
    cases: Annotated[int | None, Field(required=False, default=None)]
    repeats: Annotated[int, Field(required=False, default=1)]
    keep: Annotated[list[int], Field(required=False, default=list)]


class StartWeighingRequest(WeighingRequest):
    budget: Annotated[Decimal | None, Field(required=False, default=None)]


class StrikeRequest(TypedDict):
    clauses: list[int]
    budget: Annotated[Decimal | None, Field(required=False, default=None)]


class FittingRequest(TypedDict):
    messages: Annotated[
        list[dict[str, Any]],
        Field(required=False, default=list, help_text="the text so far; none for a first version"),
    ]
