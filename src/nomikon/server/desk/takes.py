"""What the desk takes."""

from __future__ import annotations

from typing import Annotated, NotRequired, TypedDict

from nomikon.server.typed import Field, Filled


class FindQuery(TypedDict):
    q: NotRequired[Annotated[Filled, Field(help_text="words, or a number")]]
    brief: NotRequired[Annotated[int, Field(help_text="only of this brief")]]
