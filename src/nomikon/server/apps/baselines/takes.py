"""What baselines take."""

from __future__ import annotations

from typing import Annotated, Any, NotRequired, TypedDict

from nomikon.server.takes import Page
from nomikon.server.typed import Blank, Field, OneOf


class BaselineRequest(TypedDict):
    dataset: int
    name: Blank
    note: Annotated[Blank, Field(required=False, default="", max_length=10000)]


class BaselineChangeRequest(TypedDict):
    name: Annotated[Blank | None, Field(required=False, default=None)]
    note: Annotated[Blank | None, Field(required=False, default=None, max_length=10000)]
    archived: Annotated[bool | None, Field(required=False, default=None)]
    seen: Annotated[
        dict[str, Any] | None,
        Field(required=False, default=None, help_text="name, note and archived as they were shown"),
    ]


class AnswerRequest(TypedDict):
    text: Annotated[
        str, Field(allow_blank=True, trim_whitespace=False, max_length=2000000,
                   help_text="blank takes the answer away")
    ]  # fmt: skip
    seen: Annotated[
        str | None,
        Field(required=False, default=None, allow_blank=True, trim_whitespace=False,
              help_text="the answer as it was shown"),
    ]  # fmt: skip


class SheetQuery(Page):
    which: NotRequired[Annotated[str, OneOf("all", "open", "answered")]]
