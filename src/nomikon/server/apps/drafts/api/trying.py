"""Trying a draft out: the answers of many jobs are streamed together, as the models give them."""

from __future__ import annotations

import json
import time
from collections.abc import AsyncIterator, Mapping, Sequence
from typing import Any

import aiohttp
from asgiref.sync import sync_to_async
from django.db import close_old_connections
from django.http import HttpRequest
from django.utils import timezone

from nomikon.core.errors import DomainError
from nomikon.core.prompts import check_messages
from nomikon.server.apps.briefs.actions.record_try import RecordTry
from nomikon.server.apps.briefs.facts import read_as
from nomikon.server.apps.briefs.models import Brief, Try
from nomikon.server.apps.briefs.reads import TryRequest
from nomikon.server.apps.briefs.tries import BeginTry, FillTry
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.drafts.under_way import UNDER_WAY
from nomikon.server.lines import answer, problem, refusal
from nomikon.server.link import WorkerAwayError, link_address
from nomikon.server.parsing import read_body
from nomikon.server.people import actor_of
from nomikon.server.typed import serializer_of

FILL_EVERY_S = 1.0


async def stream_try(request: HttpRequest, brief_id: int) -> Any:
    """Lines of JSON, each with its job's key: {"text": piece} …, then {"result"} or {"refused"}."""
    if request.method != "POST":
        return problem(405, "method_not_allowed", "a try is asked for by POST")
    try:
        body = read_body(request.body)
    except Exception as error:  # noqa: BLE001
        return refusal(error)
    shape = serializer_of(TryRequest)(data=body)
    if not await sync_to_async(shape.is_valid)():
        return problem(422, "invalid", f"not a try: {json.dumps(shape.errors)[:300]}")
    asked_for = shape.validated_data
    jobs = [
        {**job, "messages": asked_for["messages"] if job["messages"] is None else job["messages"]}
        for job in asked_for["jobs"]
    ]
    found = await _found(brief_id, _models_of(jobs))
    if found is None:
        return problem(404, "not_found", "this brief or this model is not there any more")
    brief, models, card = found
    facts = await _facts(brief, jobs)
    try:
        address, token = link_address()
    except WorkerAwayError as error:
        return problem(409, error.code, error.message)
    asked = {**_without_repeats(jobs), "scorecard": card, "facts": facts}
    asked_of = {job["key"]: _asked_of(job, models) for job in jobs}
    url, actor, keep = f"{address}/try", actor_of(request), asked_for["keep"]
    if keep is None:
        return answer(_lines(url, token, asked, asked_of, brief, actor, None))

    async def begun() -> AsyncIterator[bytes]:
        beginning = BeginTry(brief, jobs, keep, models, actor, timezone.now())
        kept = await sync_to_async(_begun)(beginning)
        lines = _lines(url, token, asked, asked_of, brief, actor, kept)
        return UNDER_WAY.begin((brief.pk, kept.number), lines)

    try:
        # What stays with the brief comes in whether or not somebody waits for it.
        return answer(await UNDER_WAY.held(begun()))
    except DomainError as error:
        return problem(422, error.code, error.message)


def _asked_of(job: Mapping[str, Any], models: Mapping[int, tuple[str, bool]]) -> tuple[str, bool]:
    """Who answers, and whether nobody pays for it: a real model that plays the user is paid."""
    name, simulated = models[job["model"]]
    player = (job.get("talk") or {}).get("model")
    return name, simulated and (player is None or models[player][1])


def _models_of(jobs: Sequence[Mapping[str, Any]]) -> set[int]:
    played = (job["talk"]["model"] for job in jobs if job.get("talk"))
    return {job["model"] for job in jobs} | {model for model in played if model is not None}


def _without_repeats(jobs: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """The jobs with each text once: many differ in nothing but their inputs."""
    texts: dict[str, int] = {}
    rows = [
        {**job, "text": texts.setdefault(json.dumps(job["messages"]), len(texts))} for job in jobs
    ]
    for row in rows:
        del row["messages"]
    return {"texts": [json.loads(t) for t in texts], "jobs": rows}


@sync_to_async
def _found(
    brief_id: int, model_ids: set[int]
) -> tuple[Brief, dict[int, tuple[str, bool]], dict[str, Any] | None] | None:
    try:
        brief = Brief.objects.filter(pk=brief_id).first()
        chosen = Model.objects.filter(pk__in=model_ids)
        models = {m.pk: (m.name, m.is_simulated) for m in chosen}
        if brief is None or set(models) != model_ids:
            return None
        card = brief.scorecards.order_by("-number").first()
        return brief, models, None if card is None else card.document
    finally:
        close_old_connections()


@sync_to_async
def _facts(brief: Brief, jobs: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """What was said of how the text is read, by people and by a model."""
    try:
        messages = check_messages(jobs[0]["messages"])
        return [f.with_source() for f in read_as(brief, messages)]
    except DomainError:
        # A text that cannot be sent: each job says so itself.
        return []
    finally:
        close_old_connections()


async def _lines(
    url: str,
    token: str,
    asked: dict[str, Any],
    asked_of: Mapping[str, tuple[str, bool]],
    brief: Brief,
    actor: str,
    kept: Try | None,
) -> AsyncIterator[bytes]:
    """The worker's lines, passed on; what they cost goes into the ledger, broken off or not."""
    timeout = aiohttp.ClientTimeout(total=None)
    results: dict[str, dict[str, Any]] = {}
    problems: dict[str, str] = {}
    told = 0.0
    if kept is not None:
        yield json.dumps({"try": kept.number}).encode() + b"\n"
    try:
        async with (
            aiohttp.ClientSession(timeout=timeout, read_bufsize=2**22) as session,
            session.post(url, json=asked, headers={"Authorization": f"Bearer {token}"}) as reply,
        ):
            if reply.status != 200:
                why = f"the worker refused it ({reply.status}): {(await reply.text())[:200]}"
                yield json.dumps({"refused": why}).encode() + b"\n"
                return
            async for line in reply.content:
                yield line
                if b'"result"' in line and "result" in (came := json.loads(line)):
                    results[came["key"]] = came["result"]
                    if kept is not None and time.monotonic() - told > FILL_EVERY_S:
                        # Whoever looks again, or a server that is ended, has what came so far.
                        told = time.monotonic()
                        await sync_to_async(_done)(FillTry(kept.number, brief, results, problems))
                elif b'"refused"' in line and "refused" in (came := json.loads(line)):
                    problems |= {came["key"]: came["refused"]} if came.get("key") else {}
    except (aiohttp.ClientError, OSError):
        yield (
            json.dumps({"refused": "the worker broke off: try again in a moment"}).encode() + b"\n"
        )
    finally:
        if results:
            told_of = [(*asked_of[key], result) for key, result in results.items()]
            await sync_to_async(_done)(RecordTry(brief, told_of, actor, timezone.now()))
        if kept is not None:
            await sync_to_async(_done)(FillTry(kept.number, brief, results, problems))


def _begun(action: BeginTry) -> Try:
    try:
        return action.execute()
    finally:
        close_old_connections()


def _done(action: RecordTry | FillTry) -> None:
    try:
        action.execute()
    finally:
        close_old_connections()
