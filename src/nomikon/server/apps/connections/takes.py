"""What connections takes."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Any, TypedDict

from nomikon.server.typed import Blank, Field, Filled


class ConnectionRequest(TypedDict):
    name: Annotated[Blank, Field(max_length=80)]
    protocol: Annotated[Filled, Field(default="chat-completions")]
    base_url: Annotated[Blank, Field(max_length=500)]
    key_env: Annotated[Blank, Field(default="", max_length=120)]
    key: Annotated[Blank | None, Field(default=None, max_length=4000, write_only=True)]
    key_again: Annotated[bool, Field(default=False, write_only=True)]
    requests_per_minute: Annotated[int | None, Field(default=None)]
    tokens_per_minute: Annotated[int | None, Field(default=None)]
    concurrency: Annotated[int | None, Field(default=None)]
    headers: Annotated[dict[str, Blank], Field(default=dict)]
    body_fields: Annotated[dict[str, Any], Field(default=dict)]
    output_limit: Annotated[Filled, Field(default="max_tokens", max_length=60)]
    most_answer_mb: Annotated[int | None, Field(default=None)]
    call_timeout_s: Annotated[float, Field(default=120.0)]
    stall_timeout_s: Annotated[float, Field(default=30.0)]


class ConnectionChangeRequest(ConnectionRequest):
    seen: Annotated[
        dict[str, Any] | None,
        Field(required=False, default=None, help_text="what the form showed when it was opened"),
    ]


class ModelRequest(TypedDict):
    name: Annotated[Blank, Field(max_length=200)]
    context_length: Annotated[int | None, Field(default=None)]
    price_in: Annotated[Decimal | None, Field(default=None)]
    price_out: Annotated[Decimal | None, Field(default=None)]
    price_cached: Annotated[Decimal | None, Field(default=None)]
    price_reasoning: Annotated[Decimal | None, Field(default=None)]
    reasoning: Annotated[Filled, Field(default="auto", max_length=10)]
    simulated: Annotated[bool, Field(default=False)]
    unsupported: Annotated[list[Filled], Field(required=False, default=list)]
    concurrency: Annotated[int | None, Field(default=None)]
    requests_per_minute: Annotated[int | None, Field(default=None)]
    tokens_per_minute: Annotated[int | None, Field(default=None)]


class ModelChangeRequest(ModelRequest):
    seen: Annotated[
        dict[str, Any] | None,
        Field(required=False, default=None, help_text="what the form showed when it was opened"),
    ]


class ModelsRequest(TypedDict):
    names: Annotated[
        list[Annotated[Filled, Field(max_length=200)]], Field(allow_empty=False, max_length=500)
    ]


class TestRequest(TypedDict):
    text: Annotated[Filled, Field(max_length=20000)]
