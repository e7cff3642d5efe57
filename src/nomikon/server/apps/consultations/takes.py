"""What consultations takes."""

from __future__ import annotations

from typing import Annotated, Any, NotRequired, TypedDict

from nomikon.server.apps.briefs.reads import MessageShape
from nomikon.server.typed import Field, Filled


class ModelReadingRequest(TypedDict):
    messages: list[MessageShape]
    model: Annotated[int | None, Field(required=False, default=None)]
    ask: Annotated[bool, Field(required=False, default=False)]


class StandingReaderRequest(TypedDict):
    model: Annotated[int | None, Field(help_text="Null: no version is read unasked.")]


class ConsultRequest(TypedDict):
    role: Annotated[Filled, Field(max_length=20)]
    about: Annotated[dict[str, Any | None], Field(help_text="What it is about, by name.")]
    model: Annotated[int | None, Field(required=False, default=None)]
    instruction: Annotated[str, Field(required=False, default="", max_length=20000)]
    again: Annotated[
        bool, Field(default=True, help_text="Ask once more where the reply cannot be read.")
    ]
    ask: Annotated[
        bool, Field(default=False, help_text="Ask now; else it is only told what would be.")
    ]


class SettleConsultationRequest(TypedDict):
    text: Annotated[str | None, Field(required=False, default=None, max_length=2000000)]
    state: Annotated[Filled | None, Field(required=False, default=None, max_length=8)]
    places: Annotated[
        list[Annotated[int, Field(min_value=1)]] | None, Field(required=False, default=None)
    ]


class OpenConsultationQuery(TypedDict):
    role: Filled
    brief: NotRequired[int]
