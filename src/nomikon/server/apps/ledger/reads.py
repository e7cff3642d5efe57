"""What ledger answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, TypedDict

from nomikon.server.typed import Field


class LineShape(TypedDict):
    id: int
    at: datetime
    actor: str
    what: str
    brief: int | None
    brief_name: str
    subject: str
    subject_id: int | None
    facts: dict[str, Any]
    about: Annotated[
        dict[str, Any], Field(help_text="models, settings, version, trial, output it is about")
    ]
    cost_nano: Annotated[int | None, Field(help_text="all that it cost")]
    simulated_nano: Annotated[int, Field(help_text="the part of it on simulated models")]


class LedgerShape(TypedDict):
    lines: list[LineShape]
    more: bool
    kinds: list[str]
    people: list[str]
    models: list[str]


class SpendDay(TypedDict):
    day: int
    nano: Annotated[int, Field(help_text="real money; what simulated models came to stands apart")]
    simulated: int


class SpendRow(TypedDict):
    month: str
    brief: int | None
    name: str
    model: str
    cost: int
    simulated: bool
