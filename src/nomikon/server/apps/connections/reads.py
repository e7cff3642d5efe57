"""What connections answers."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Annotated, Any, TypedDict

from nomikon.server.typed import Field, OneOf


class ModelShape(TypedDict):
    id: int
    connection: int
    connection_name: str
    name: str
    simulated: bool
    context_length: int | None
    price_in: Annotated[Decimal | None, Field(coerce_to_string=False)]
    price_out: Annotated[Decimal | None, Field(coerce_to_string=False)]
    price_cached: Annotated[Decimal | None, Field(coerce_to_string=False)]
    price_reasoning: Annotated[Decimal | None, Field(coerce_to_string=False)]
    reasoning: Annotated[str, OneOf("auto", "none")]
    borne: int | None
    unsupported: list[str]
    never_sent: list[str]
    concurrency: int | None
    requests_per_minute: int | None
    tokens_per_minute: int | None
    calls_seen: int
    error_in: float | None
    error_out: float | None


class LaneShape(TypedDict):
    state: Annotated[str, OneOf("steady", "slowed", "resting", "probing", "given-up")]
    reason: str
    width: int | None
    next_look_s: float | None


class StandingShape(TypedDict):
    state: Annotated[str, OneOf("steady", "slowed", "resting", "probing", "given-up")]
    reason: str
    lanes: dict[str, LaneShape]
    since: datetime | None
    next_look_at: datetime | None


class ConnectionShape(TypedDict):
    id: int
    name: str
    protocol: str
    base_url: str
    key_env: str
    key_kept: bool
    key_set: bool
    standing: StandingShape
    requests_per_minute: int | None
    tokens_per_minute: int | None
    simulated: bool
    concurrency: int | None
    headers: dict[str, str]
    body_fields: Any
    output_limit: str
    most_answer_mb: int | None
    call_timeout_s: float
    stall_timeout_s: float
    models: list[ModelShape]


class ProtocolShape(TypedDict):
    name: str
    title: str
    address: Annotated[str, Field(help_text="What its base URL is called.")]


class AddressChecked(TypedDict):
    base_url: Annotated[str, Field(help_text="As it answers: completed where that was needed.")]
    models: int | None
    failure: str


class FailureShape(TypedDict):
    code: str
    text: str
    attempts: int


class AnswerShape(TypedDict):
    text: str
    finish_reason: str | None
    tokens_in: int | None
    tokens_out: int | None
    cost: int | None
    latency_ms: float
    first_ms: float | None
    model_identity: str
    attempts: int
    reasoning: str
    refusal: str
    tool_calls: list[list[str]]


class TestedShape(TypedDict):
    request: dict[str, Any]
    answer: AnswerShape | None
    failure: FailureShape | None


class OfferedModelShape(TypedDict):
    name: str
    context_length: int | None
    simulated: bool
    added: bool


class OfferedShape(TypedDict):
    models: list[OfferedModelShape]
    failure: FailureShape | None


class HealthHour(TypedDict):
    hour: datetime
    answered: int
    failures: dict[str, int]
    latency_ms: float | None
