"""What every app answers."""

from __future__ import annotations

from typing import NotRequired, TypedDict


class ProblemShape(TypedDict):
    title: str
    status: int
    detail: str
    field: NotRequired[str]
