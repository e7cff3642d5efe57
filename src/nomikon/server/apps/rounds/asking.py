"""Driving rounds in the worker: step by step, and the calls that a step asks for."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Sequence
from datetime import datetime
from typing import Any

from asgiref.sync import sync_to_async
from django.db import OperationalError

from nomikon.core.consulting import ROLES
from nomikon.core.prompts import Message
from nomikon.core.trials import cost_nano
from nomikon.models import CallFailure, Connection
from nomikon.models.client import ModelClient
from nomikon.models.protocols import request_body
from nomikon.models.types import SINGLE
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.connections.spec import connection_spec
from nomikon.server.apps.rounds.again import problem_of_reply
from nomikon.server.apps.rounds.building import record_reply
from nomikon.server.apps.rounds.driving import advance
from nomikon.server.apps.rounds.models import Candidate
from nomikon.server.apps.trials.store import may_pass

PAUSE_S = 0.3
# After a database that took nothing.
LATER_S = 2.0

Clock = Callable[[], datetime]
Pause = Callable[[float], Awaitable[None]]


async def drive(
    rounds_id: int, client: ModelClient, *, clock: Clock, pause: Pause = asyncio.sleep
) -> None:
    """Go on until the rounds are over; a database that is busy is waited for.

    clock, pause: the two doors to time, so that a test need not wait.
    """
    while True:
        try:
            step = await sync_to_async(advance)(rounds_id, clock())
            if step.over:
                return
            await asyncio.gather(*(_ask(c, client, clock) for c in step.ask))
            wait = PAUSE_S
        except OperationalError as error:
            if not may_pass(error):
                raise
            wait = LATER_S
        await pause(wait)


async def _ask(candidate_id: int, client: ModelClient, clock: Clock) -> None:
    """Have one candidate proposed; a reply that cannot be used is asked for once more."""
    messages = await sync_to_async(_messages)(candidate_id)
    told = await _put(candidate_id, messages, client)
    problem = await sync_to_async(problem_of_reply)(candidate_id, told["text"], told["cost_nano"])
    if problem:
        again = ROLES["amendments"].retold(messages, told["text"], problem)
        more = await _put(candidate_id, again, client)
        spent = {
            name: None if told[name] is None else told[name] + (more[name] or 0)
            for name in ("tokens_in", "tokens_out", "cost_nano")
        }
        # A second try that failed leaves the first reply with what is wrong with it.
        told = (told if more["failure"] else more) | spent
    await sync_to_async(record_reply)(candidate_id, **told, now=clock())


async def _put(
    candidate_id: int, messages: Sequence[Message], client: ModelClient
) -> dict[str, Any]:
    connection, model, body = await sync_to_async(_request)(candidate_id, messages)
    told: dict[str, Any] = {"tokens_in": None, "tokens_out": None, "cost_nano": None}
    try:
        answer = await client.call(connection, model.name, body, priority=SINGLE)
    except CallFailure as failure:
        return told | {"text": "", "failure": f"the model gave no answer: {failure}"}
    used = answer.usage
    told |= {"text": answer.text, "failure": ""}
    if used.tokens_in is not None and used.tokens_out is not None:
        told |= {"tokens_in": used.tokens_in, "tokens_out": used.tokens_out}
        told["cost_nano"] = cost_nano(
            used.tokens_in, used.tokens_out, model.price_in_nano, model.price_out_nano
        )
    return told


def _messages(candidate_id: int) -> list[Message]:
    return [Message(**m) for m in Candidate.objects.get(pk=candidate_id).asked]


def _request(
    candidate_id: int, messages: Sequence[Message]
) -> tuple[Connection, Model, dict[str, Any]]:
    candidate = Candidate.objects.select_related("round__rounds__amender__connection").get(
        pk=candidate_id
    )
    rounds = candidate.round.rounds
    model = rounds.amender
    connection = connection_spec(model.connection, model)
    body = request_body(
        connection,
        model.name,
        messages,
        rounds.amender_settings,
        seed=candidate.place,
        unsupported=model.unsupported,
    )
    return connection, model, body
