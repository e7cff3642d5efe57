"""Trying a draft on one case: the answer is streamed as the model gives it."""

from __future__ import annotations

import json
from collections.abc import AsyncIterator
from typing import Any

import aiohttp
from asgiref.sync import sync_to_async
from django.db import close_old_connections
from django.http import HttpRequest, JsonResponse, StreamingHttpResponse
from django.utils import timezone

from nomikon.server.api import shapes
from nomikon.server.briefs.actions.record_try import RecordTry
from nomikon.server.briefs.models import Brief
from nomikon.server.connections.models import Model
from nomikon.server.people import actor_of
from nomikon.server.problems import MEDIA_TYPE
from nomikon.server.worker_link import WorkerAwayError, link_address

TYPE = "application/x-ndjson"


async def stream_try(request: HttpRequest, brief_id: int) -> Any:
    """Lines of JSON: {"text": piece} …, then {"result": …} or {"refused": why}."""
    if request.method != "POST":
        return _problem(405, "method_not_allowed", "a try is asked for by POST")
    try:
        body = json.loads(request.body)
    except ValueError:
        return _problem(400, "parse_error", "the body is no JSON")
    shape = shapes.TryRequest(data=body)
    if not shape.is_valid():
        return _problem(422, "invalid", f"not a try: {json.dumps(shape.errors)[:300]}")
    data = dict(shape.validated_data)
    found = await _found(brief_id, data["model"])
    if found is None:
        return _problem(404, "not_found", "this brief or this model is not there any more")
    brief, model, card = found
    try:
        address, token = link_address()
    except WorkerAwayError as error:
        return _problem(409, error.code, error.message)
    asked = {**data, "scorecard": card}
    lines = _lines(f"{address}/try", token, asked, brief, model, actor_of(request))
    response = StreamingHttpResponse(lines, content_type=TYPE)
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response


def _problem(status: int, title: str, detail: str) -> JsonResponse:
    body = {"title": title, "status": status, "detail": detail}
    return JsonResponse(body, status=status, content_type=MEDIA_TYPE)


@sync_to_async
def _found(brief_id: int, model_id: int) -> tuple[Brief, Model, dict[str, Any] | None] | None:
    try:
        brief = Brief.objects.filter(pk=brief_id).first()
        model = Model.objects.filter(pk=model_id).first()
        if brief is None or model is None:
            return None
        card = brief.scorecards.order_by("-number").first()
        return brief, model, None if card is None else card.document
    finally:
        close_old_connections()


async def _lines(
    url: str, token: str, asked: dict[str, Any], brief: Brief, model: Model, actor: str
) -> AsyncIterator[bytes]:
    """The worker's lines, passed on; what it cost goes into the ledger."""
    timeout = aiohttp.ClientTimeout(total=None)
    try:
        async with (
            aiohttp.ClientSession(timeout=timeout) as session,
            session.post(url, json=asked, headers={"Authorization": f"Bearer {token}"}) as reply,
        ):
            async for line in reply.content:
                yield line
                if line.startswith(b'{"result"'):
                    result = json.loads(line)["result"]
                    action = RecordTry(brief, model.name, result, actor, timezone.now())
                    await sync_to_async(_record)(action)
    except aiohttp.ClientError as error:
        yield json.dumps({"refused": f"the worker broke off: {error}"}).encode() + b"\n"


def _record(action: RecordTry) -> None:
    try:
        action.execute()
    finally:
        close_old_connections()
