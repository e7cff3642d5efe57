"""What culprits takes."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, TypedDict

from nomikon.server.typed import Field


class SearchRequest(TypedDict):
    older: Annotated[int, Field(help_text="id of an arm")]
    newer: int
    budget: Annotated[Decimal | None, Field(required=False, default=None)]


class LeaveOutRequest(TypedDict):
    leave: list[str]
