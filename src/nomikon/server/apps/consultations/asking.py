"""Putting a helping model's question: the request, its price, the call, and asking once more."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from nomikon.core.consulting import Reading, Role
from nomikon.core.consulting.roles import UnreadableReplyError, read_reply
from nomikon.core.errors import PromptError
from nomikon.core.prompts import Message, render
from nomikon.core.trials import cost_nano
from nomikon.core.trials.estimates import estimate_messages
from nomikon.models.protocols import PROTOCOLS
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.consultations.subjects import Prepared
from nomikon.server.link import ask_worker

SCHEMA = "response_schema"


@dataclass(frozen=True)
class Try:
    """One question and what came of it. problem: why the reply could not be read, "" where it could."""

    reply: str
    reasoning: str
    finish_reason: str
    failure: str
    problem: str
    tokens_in: int | None
    tokens_out: int | None
    cost: int | None
    seconds: float


def request_of(prepared: Prepared, instruction: str) -> tuple[Message, ...]:
    """The messages as they are sent. Raises PromptError for words that cannot be filled."""
    if not instruction.strip():
        raise PromptError("an instruction without words asks for nothing", field="instruction")
    done = render(prepared.role.messages(instruction), prepared.inputs)
    if done.missing:
        raise PromptError(
            f"the instruction asks for {', '.join(done.missing)}, which nothing fills here",
            field="instruction",
        )
    return done.messages


def price_at_most(role: Role, request: Sequence[Message], model: Model, again: bool) -> int | None:
    """Billionths of the currency a question can cost, one more included; None where unpriced."""
    tokens_in = estimate_messages([m.content for m in request])
    most = int(role.settings["max_tokens"])
    cost = cost_nano(tokens_in, most, model.price_in_nano, model.price_out_nano)
    if cost is None or not again:
        return cost
    # Once more: all of it, the reply, and what is wrong with it.
    more = cost_nano(tokens_in + most + 200, most, model.price_in_nano, model.price_out_nano)
    return cost + (more or 0)


def put(role: Role, request: Sequence[Message], model: Model) -> Try:
    """Ask a model through the worker; a server that refuses the answer schema is asked without it,
    and that is remembered of the model."""
    settings: dict[str, Any] = dict(role.settings)
    takes = SCHEMA not in (*model.unsupported, *PROTOCOLS[model.connection.protocol].never_sent)
    if takes and role.schema is not None:
        came = _call(request, {**settings, SCHEMA: role.schema}, model)
        if not _refuses_schema(came.get("failure")):
            return _try(came, model)
        came = _call(request, settings, model)
        if came.get("answer"):
            model.unsupported = sorted({*model.unsupported, SCHEMA})
            model.save(update_fields=["unsupported"])
        return _try(came, model)
    return _try(_call(request, settings, model), model)


# How servers put it that do not know of answer schemas, some of them as a fault of their own.
_OF_SCHEMA = re.compile(r"response_format|json_schema|schema|grammar|structured|validation", re.I)


def _refuses_schema(failure: Mapping[str, Any] | None) -> bool:
    """Whether a call failed for what may be its answer schema."""
    if failure is None:
        return False
    if failure["code"] == "refused":
        return True
    return failure["code"] in ("server_error", "error_in_answer") and bool(
        _OF_SCHEMA.search(failure["text"])
    )


def _call(request: Sequence[Message], settings: Mapping[str, Any], model: Model) -> dict[str, Any]:
    came: dict[str, Any] = ask_worker(
        "/call",
        {
            "model": model.pk,
            "messages": [{"role": m.role, "content": m.content} for m in request],
            "settings": dict(settings),
        },
        within_s=model.connection.call_timeout_s * 4,
    )
    return came


def _try(came: Mapping[str, Any], model: Model) -> Try:
    answer, failure = came.get("answer"), came.get("failure")
    if answer is None:
        told = failure["text"] if failure else "no answer came"
        return Try("", "", "", told, "", None, None, None, 0.0)
    tokens_in, tokens_out = answer["tokens_in"], answer["tokens_out"]
    cost = None
    if tokens_in is not None and tokens_out is not None:
        cost = cost_nano(tokens_in, tokens_out, model.price_in_nano, model.price_out_nano)
    return Try(
        answer["text"] or answer.get("refusal", ""),
        answer.get("reasoning", ""),
        answer["finish_reason"] or "",
        "",
        "",
        tokens_in,
        tokens_out,
        cost,
        round(answer["latency_ms"] / 1000, 2),
    )


def reading_of(prepared: Prepared, text: str, model: str) -> Reading:
    """A reply as it is read now. Raises UnreadableReplyError with the reason in words.

    An empty list, or one of which nothing can stand, is read: its reading says why.
    """
    subject = prepared.subject
    if prepared.role.name == "questions":
        subject = type(subject)(**{**subject.__dict__, "asked_by": model})
    return read_reply(prepared.role.name, text, subject)


def why_nothing(reading: Reading) -> str:
    """Why a reading holds nothing; "" where it holds something."""
    if reading.items:
        return ""
    if reading.refused:
        place, why = reading.refused[0]
        more = f" and {len(reading.refused) - 1} more" if len(reading.refused) > 1 else ""
        return f"nothing of it can stand: no. {place}: {why}{more}"
    if any("whole prompt" in r for r in reading.repaired):
        return "the prompt came back as it was"
    return "the model's list is empty: it proposes nothing"


def problem_of(prepared: Prepared, tried: Try, model: str) -> str:
    """What is wrong with a reply as it came; "" where it can be read and holds something."""
    if tried.failure:
        return ""
    if tried.finish_reason == "length":
        return "it was cut: the output limit was reached"
    try:
        return why_nothing(reading_of(prepared, tried.reply, model))
    except UnreadableReplyError as error:
        return error.message


def as_row(tried: Try) -> dict[str, Any]:
    """A try as it is stored."""
    return asdict(tried)
