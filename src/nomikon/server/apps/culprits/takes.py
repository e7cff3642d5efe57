"""What culprits takes."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, TypedDict

from nomikon.server.typed import Field


class SearchRequest(TypedDict):
    older: Annotated[int, Field(help_text="id of an arm")]
    newer: int
    orders: Annotated[
        int,
        Field(
            required=False,
            default=0,
            min_value=0,
            max_value=40,
            help_text="orders to draw, where there are too many amendments for every text",
        ),
    ]
    budget: Annotated[Decimal | None, Field(required=False, default=None)]


class LeaveOutRequest(TypedDict):
    leave: list[str]
