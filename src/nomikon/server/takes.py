"""What every app takes."""

from __future__ import annotations

from typing import Annotated, NotRequired, TypedDict

from nomikon.server.typed import Field


class Page(TypedDict):
    offset: NotRequired[Annotated[int, Field(help_text="how many to pass over")]]
    limit: NotRequired[Annotated[int, Field(help_text="how many at most, up to 1000")]]
