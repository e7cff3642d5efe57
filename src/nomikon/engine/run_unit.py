"""From a unit to its result: ask, tell what came back, score it."""

from __future__ import annotations

import logging
from collections.abc import Awaitable, Callable, Mapping
from functools import lru_cache
from typing import Any, Protocol

from nomikon.core.errors import DomainError
from nomikon.core.measures import Answer as Scored
from nomikon.core.prompts import Message, instructions_of
from nomikon.core.trials import FAILED, cost_nano
from nomikon.core.trials.estimates import estimate_messages, estimate_tokens
from nomikon.engine.asking import Ending, Reply, asking, reply_of
from nomikon.engine.flights import Flights
from nomikon.engine.scoring import Job, card_of, score_one
from nomikon.engine.units import (
    ANSWER,
    BESIDE,
    ArmSpec,
    Ask,
    Callee,
    CallRecord,
    Unit,
    UnitResult,
)
from nomikon.models.errors import CallFailure
from nomikon.models.protocols import texts_of
from nomikon.models.types import TRIAL, Answer, Connection

log = logging.getLogger("nomikon.engine")
UNFORESEEN = "unforeseen"


class Caller(Protocol):
    """The model call, the one seam to the network."""

    def call(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        *,
        on_text: Callable[[str], None] | None = None,
        priority: int = TRIAL,
    ) -> Awaitable[Answer]:
        """Send a request and wait for its whole answer."""


async def run_unit(
    unit: Unit, client: Caller, document: str, flights: Flights[Answer] | None = None
) -> UnitResult:
    """Have one whole output. What the unit knows already is not asked for again.

    document: the scorecard's plain form as JSON. flights: what others have under way, where equal
    requests are to be paid once. Whatever goes wrong is this output's own failure.
    """
    flights = Flights() if flights is None else flights
    calls: list[CallRecord] = []
    place = "asking"
    try:
        steps = asking(unit, card_of(document))
        ask = next(steps)
        while True:
            ask = steps.send(await _answered(unit, client, ask, calls, flights))
    except StopIteration as end:
        ending, place = end.value, "scoring"
    except DomainError as error:
        return _failed(unit, "unsendable", error.message, calls)
    except CallFailure as failure:
        return _failed(unit, failure.code, str(failure), calls)
    except Exception as error:  # noqa: BLE001
        return _unforeseen(unit, error, place, calls)
    try:
        return await _scored(unit, ending, calls, document)
    except Exception as error:  # noqa: BLE001
        return _unforeseen(unit, error, place, calls)


def _unforeseen(unit: Unit, error: Exception, place: str, calls: list[CallRecord]) -> UnitResult:
    """What nobody thought of costs one output, never its trial; the log has all of it."""
    log.exception("unforeseen in %s", place, exc_info=error)
    why = f"something unforeseen in {place} it ({type(error).__name__}); the log tells more"
    return _failed(unit, UNFORESEEN, why, calls)


def _asked(position: int, ask: Ask) -> dict[str, Any]:
    """What a call's record says of its request."""
    return {
        "position": position,
        "step": ask.step,
        "request": ask.body,
        "answer_key": ask.key,
        "continues": ask.continues,
        "part": ask.part,
        "callee": None if ask.callee is None else ask.callee.key,
    }


async def _answered(
    unit: Unit, client: Caller, ask: Ask, calls: list[CallRecord], flights: Flights[Answer]
) -> Reply:
    """Have a request answered and its call recorded. What is asked beside it and fails leaves it whole."""
    about = _asked(len(calls), ask)
    if stored := unit.known.get(ask.key):
        whose = {"shared": True} if stored.call is None else {"reused_from": stored.call}
        calls.append(CallRecord(**about, **stored.received(), attempts=0, **whose))
        return reply_of(stored)
    asked: ArmSpec | Callee = ask.callee or unit.arm
    connection = asked.connection
    assert connection is not None, "answers that were brought in are not asked for"

    async def call() -> Answer:
        return await client.call(connection, asked.model, ask.body)

    try:
        # Asked afresh is asked on purpose: each of them is a sample of its own.
        if unit.generation:
            answer, shared = await call(), False
        else:
            answer, shared = await flights.answer(ask.key, call)
        paid = {"shared": True, "attempts": 0} if shared else _paid(answer, asked)
        calls.append(CallRecord(**about, **_received(ask, answer, asked), **paid))
    except CallFailure as failure:
        calls.append(CallRecord(**about, **_paid(failure, asked), failure=failure.code))
        if ask.part not in BESIDE:
            raise
        return Reply("", None, failure.code)
    except Exception:
        calls.append(CallRecord(**about))
        raise
    return reply_of(answer)


def _paid(came: Answer | CallFailure, asked: ArmSpec | Callee) -> dict[str, Any]:
    """The attempts it took, and what those that broke off cost."""
    waste = came.waste
    if not (waste.tokens_in or waste.tokens_out):
        return {"attempts": came.attempts}
    cost = cost_nano(waste.tokens_in, waste.tokens_out, asked.price_in_nano, asked.price_out_nano)
    return {
        "attempts": came.attempts,
        "wasted_in": waste.tokens_in,
        "wasted_out": waste.tokens_out,
        "wasted_cost": cost or 0,
    }


def _received(ask: Ask, answer: Answer, asked: ArmSpec | Callee) -> dict[str, Any]:
    """What a call's record says of its answer."""
    tokens_in, tokens_out = answer.usage.tokens_in, answer.usage.tokens_out
    estimated = tokens_in is None or tokens_out is None
    if tokens_in is None:
        tokens_in = estimate_messages(texts_of(ask.body))
    if tokens_out is None:
        # What was thought is charged for as what was said.
        tokens_out = estimate_tokens(answer.reasoning + answer.text)
    return {
        "text": answer.text,
        "finish_reason": answer.finish_reason,
        "tokens_in": tokens_in,
        "tokens_out": tokens_out,
        "tokens_estimated": estimated,
        "cost": cost_nano(
            tokens_in,
            tokens_out,
            asked.price_in_nano,
            asked.price_out_nano,
            cached=(answer.usage.tokens_cached or 0, asked.price_cached_nano),
            reasoning=(answer.usage.tokens_reasoning or 0, asked.price_reasoning_nano),
        ),
        "latency_ms": answer.latency_ms,
        "first_ms": answer.first_ms,
        "model_identity": answer.model_identity,
        "reasoning": answer.reasoning,
        "refusal": answer.refusal,
        "tool_calls": answer.tool_calls,
        "tokens_cached": answer.usage.tokens_cached,
        "tokens_reasoning": answer.usage.tokens_reasoning,
    }


def _failed(unit: Unit, code: str, why: str, calls: list[CallRecord]) -> UnitResult:
    return UnitResult(
        unit.arm.key,
        unit.case.key,
        unit.repeat,
        FAILED,
        why,
        "",
        None,
        code,
        tuple(calls),
        generation=unit.generation,
        had=None if unit.had is None else unit.had.output,
    )


@lru_cache(maxsize=256)
def _instructions(messages: tuple[Message, ...]) -> str:
    """Read once for an arm, not for every output of it."""
    return instructions_of(messages)


async def _scored(unit: Unit, ending: Ending, calls: list[CallRecord], document: str) -> UnitResult:
    seen = _seen(unit, ending, calls)
    scores = await score_one(Job(document, (seen,), (ending.outcome,), ({},), ending.replies))
    return UnitResult(
        unit.arm.key,
        unit.case.key,
        unit.repeat,
        ending.outcome.kind,
        ending.outcome.why,
        ending.text,
        ending.finish_reason,
        None,
        tuple(calls),
        dict(scores.by_name),
        scores.total.value,
        scores.total.why,
        scores.ungated,
        generation=unit.generation,
        turns=ending.turns,
        had=None if unit.had is None else unit.had.output,
        suspected=ending.outcome.suspected,
        reasoning=ending.reasoning,
    )


def _seen(unit: Unit, ending: Ending, calls: list[CallRecord]) -> Scored:
    """The output as measures see it: what serving it took, judgements left out."""
    had = unit.had
    if had is not None:
        tokens = (had.tokens_in, had.tokens_out)
        cost, latency = had.cost, had.latency_ms
    else:
        own = [c for c in calls if c.part == ANSWER]
        tokens = (sum(c.tokens_in or 0 for c in own), sum(c.tokens_out or 0 for c in own))
        costs = [c.cost for c in own]
        cost = None if None in costs else sum(c or 0 for c in costs)
        latency = sum(c.latency_ms for c in own)
    return Scored(
        output=ending.text,
        reference=unit.case.reference,
        inputs=unit.case.inputs,
        finish_reason=ending.finish_reason,
        tokens_in=tokens[0],
        tokens_out=tokens[1],
        cost=cost,
        latency_ms=latency,
        prompt=_instructions(unit.arm.messages),
        turns=ending.turns,
        forms=unit.case.forms,
    )
