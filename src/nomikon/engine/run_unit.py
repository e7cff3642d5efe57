"""From a unit to its result: render, call step by step, tell what came back, score it."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Mapping
from dataclasses import replace
from typing import Any, Protocol

from nomikon.core.errors import DomainError
from nomikon.core.measures import Answer as Scored
from nomikon.core.measures import Scorecard, score_answer
from nomikon.core.prompts import render_step, steps_of
from nomikon.core.trials import FAILED, answer_key, cost_nano, outcome_of, seed_for
from nomikon.core.trials.estimates import estimate_messages, estimate_tokens
from nomikon.engine.units import ArmSpec, CallRecord, StoredAnswer, Unit, UnitResult
from nomikon.models.errors import CallFailure
from nomikon.models.types import Answer, Connection
from nomikon.models.wire import request_body


class Caller(Protocol):
    """The model call, the one seam to the network."""

    def call(
        self,
        connection: Connection,
        body: Mapping[str, Any],
        *,
        on_text: Callable[[str], None] | None = None,
    ) -> Awaitable[Answer]:
        """Send a request and wait for its whole answer."""


def request_of(
    unit: Unit, step: str | None, outputs: Mapping[str, str]
) -> tuple[dict[str, Any], str]:
    """The exact request body of one step, and its key in the store of answers.

    outputs: of the steps before. Raises DomainError when a value is missing.
    """
    arm = unit.arm
    body = request_body(
        arm.model,
        render_step(arm.messages, step, unit.case.inputs, outputs),
        arm.settings,
        seed=seed_for(arm.settings, unit.trial_seed, unit.repeat),
        unsupported=arm.unsupported,
    )
    key = answer_key(
        connection=arm.connection.identity,
        protocol=arm.connection.protocol,
        body=body,
        repeat=unit.repeat,
        generation=unit.generation,
    )
    return body, key


def first_key(unit: Unit) -> str | None:
    """The key of a unit's first call; None where its prompt cannot be filled."""
    try:
        return request_of(unit, steps_of(unit.arm.messages)[0], {})[1]
    except DomainError:
        # run_unit meets the same refusal and stores it with its reason.
        return None


async def run_unit(unit: Unit, client: Caller, card: Scorecard) -> UnitResult:
    """Have one whole output: every step a call of its own, from a clean context."""
    calls: list[CallRecord] = []
    outputs: dict[str, str] = {}
    text, finish = "", None
    try:
        for position, step in enumerate(steps_of(unit.arm.messages)):
            body, key = request_of(unit, step, outputs)
            record = CallRecord(position, step, body, key)
            calls.append(record)
            if stored := unit.known.get(key):
                calls[-1] = _reused(record, stored)
            else:
                answer = await client.call(unit.arm.connection, body)
                calls[-1] = _recorded(record, answer, unit.arm)
            text, finish = calls[-1].text, calls[-1].finish_reason
            if step is not None:
                outputs[step] = text
            if outcome_of(text, finish).kind != "answered":
                # A later step must not build on half an answer.
                break
    except DomainError as error:
        return _failed(unit, "unsendable", error.message, calls)
    except CallFailure as failure:
        calls[-1] = replace(calls[-1], attempts=failure.attempts)
        return _failed(unit, failure.code, str(failure), calls)
    return _scored(unit, text, finish, calls, card)


def _reused(record: CallRecord, stored: StoredAnswer) -> CallRecord:
    return replace(
        record,
        text=stored.text,
        finish_reason=stored.finish_reason,
        tokens_in=stored.tokens_in,
        tokens_out=stored.tokens_out,
        tokens_estimated=stored.tokens_estimated,
        cost=stored.cost,
        latency_ms=stored.latency_ms,
        first_ms=stored.first_ms,
        model_identity=stored.model_identity,
        attempts=0,
        reused_from=stored.call,
    )


def _recorded(record: CallRecord, answer: Answer, arm: ArmSpec) -> CallRecord:
    tokens_in, tokens_out = answer.usage.tokens_in, answer.usage.tokens_out
    estimated = tokens_in is None or tokens_out is None
    if tokens_in is None:
        tokens_in = estimate_messages([m["content"] for m in record.request["messages"]])
    if tokens_out is None:
        tokens_out = estimate_tokens(answer.text)
    return CallRecord(
        record.position,
        record.step,
        record.request,
        record.answer_key,
        text=answer.text,
        finish_reason=answer.finish_reason,
        tokens_in=tokens_in,
        tokens_out=tokens_out,
        tokens_estimated=estimated,
        cost=cost_nano(tokens_in, tokens_out, arm.price_in_nano, arm.price_out_nano),
        latency_ms=answer.latency_ms,
        first_ms=answer.first_ms,
        model_identity=answer.model_identity,
        attempts=answer.attempts,
    )


def _failed(unit: Unit, code: str, why: str, calls: list[CallRecord]) -> UnitResult:
    return UnitResult(
        unit.arm.key, unit.case.key, unit.repeat, FAILED, why, "", None, code, tuple(calls)
    )


def _scored(
    unit: Unit, text: str, finish: str | None, calls: list[CallRecord], card: Scorecard
) -> UnitResult:
    outcome = outcome_of(text, finish)
    scores = score_answer(
        card,
        Scored(
            output=text,
            reference=unit.case.reference,
            inputs=unit.case.inputs,
            finish_reason=finish,
            tokens_in=sum(c.tokens_in or 0 for c in calls),
            tokens_out=sum(c.tokens_out or 0 for c in calls),
            latency_ms=sum(c.latency_ms for c in calls),
        ),
    )
    return UnitResult(
        unit.arm.key,
        unit.case.key,
        unit.repeat,
        outcome.kind,
        outcome.why,
        text,
        finish,
        None,
        tuple(calls),
        {n: (s.value, s.why) for n, s in scores.by_name.items()},
        scores.total.value,
        scores.total.why,
        scores.ungated,
    )
