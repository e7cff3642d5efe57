"""What drafts answers of how a text is read."""

from __future__ import annotations

from typing import Annotated, Any, TypedDict

from nomikon.server.typed import Field


class ReadLine(TypedDict):
    """One part of the tenor. check: the measure that would check it, null where none does;
    measured: whether the scorecard has it."""

    part: str
    says: str
    message: int | None
    clause: int | None
    start: int
    end: int
    source: str
    check: dict[str, Any] | None
    measured: bool


class TenorShape(TypedDict):
    language: Annotated[str, Field(help_text="of the instructions; empty where it is not read")]
    lines: list[ReadLine]
    unstated: Annotated[
        list[str], Field(help_text="measures of form whose rule the prompt does not state")
    ]
    scorecard: int | None
