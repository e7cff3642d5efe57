"""The loopback between web and worker: calls that a person waits for, and the worker's troubles.

The worker listens on 127.0.0.1 on a free port and leaves port and token in a
file that only its owner can read. Calls made here share limits and circuit
breakers with the trials, and go before them.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import secrets
from collections.abc import AsyncGenerator, AsyncIterator, Mapping
from dataclasses import replace
from typing import Any
from urllib.parse import urlsplit

from aiohttp import web
from asgiref.sync import sync_to_async

from nomikon.core.errors import DomainError
from nomikon.core.prompts import Message
from nomikon.engine.units import Callee
from nomikon.models import CallFailure
from nomikon.models.client import ModelClient
from nomikon.models.protocols import request_body
from nomikon.models.types import SINGLE, Connection
from nomikon.server.apps.connections.keys import Keyring
from nomikon.server.apps.connections.models import Connection as StoredConnection
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.connections.spec import connection_spec
from nomikon.server.apps.trials.callees import callee_of
from nomikon.server.link import link_file
from nomikon.server.process.worker_try import arm_of, try_once

LARGEST_REQUEST = 512 * 2**20


class Link:
    """What the worker answers on its loopback. troubles: reasons by what they hold up."""

    def __init__(self, client: ModelClient, keyring: Keyring) -> None:
        self._client = client
        self._keyring = keyring
        self._token = secrets.token_urlsafe(32)
        self.troubles: dict[str, str] = {}

    @contextlib.asynccontextmanager
    async def open(self) -> AsyncIterator[None]:
        """Listen for as long as the worker runs."""
        # Many jobs of long texts come in one request; only the web process may ask here.
        app = web.Application(middlewares=[self._check_token], client_max_size=LARGEST_REQUEST)
        app.router.add_get("/status", self._status)
        app.router.add_post("/call", self._call)
        app.router.add_post("/models", self._models)
        app.router.add_post("/embed", self._embed)
        app.router.add_post("/try", self._try)
        app.router.add_post("/try-now", self._try_now)
        runner = web.AppRunner(app, access_log=None)
        await runner.setup()
        site = web.TCPSite(runner, "127.0.0.1", 0)
        await site.start()
        port = runner.addresses[0][1]
        path = link_file()
        path.unlink(missing_ok=True)
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(handle, "w", encoding="ascii") as file:
            json.dump({"port": port, "token": self._token}, file)
        try:
            yield
        finally:
            path.unlink(missing_ok=True)
            await runner.cleanup()

    @web.middleware
    async def _check_token(self, request: web.Request, handler: Any) -> web.StreamResponse:
        # As bytes: a header may hold what is no ASCII, which texts are not compared in.
        given = request.headers.get("Authorization", "").encode("utf-8", "surrogateescape")
        if not secrets.compare_digest(given, f"Bearer {self._token}".encode()):
            return web.json_response({"error": "not for you"}, status=403)
        answer: web.StreamResponse = await handler(request)
        return answer

    async def _status(self, request: web.Request) -> web.Response:
        return web.json_response({"troubles": self.troubles})

    async def _call(self, request: web.Request) -> web.Response:
        asked = await request.json()
        connection, model = await sync_to_async(self._model)(asked["model"])
        body = request_body(
            connection,
            model.name,
            [Message(**m) for m in asked["messages"]],
            asked["settings"],
            seed=asked["settings"].get("seed"),
            unsupported=model.unsupported,
        )
        try:
            answer = await self._client.call(connection, model.name, body, priority=SINGLE)
        except CallFailure as failure:
            return web.json_response({"request": body, "failure": _told(failure)})
        return web.json_response(
            {
                "request": body,
                "answer": {
                    "text": answer.text,
                    "finish_reason": answer.finish_reason,
                    "tokens_in": answer.usage.tokens_in,
                    "tokens_out": answer.usage.tokens_out,
                    "latency_ms": answer.latency_ms,
                    "first_ms": answer.first_ms,
                    "model_identity": answer.model_identity,
                    "attempts": answer.attempts,
                    "reasoning": answer.reasoning,
                    "refusal": answer.refusal,
                    "tool_calls": [list(t) for t in answer.tool_calls],
                },
            }
        )

    async def _try(self, request: web.Request) -> web.StreamResponse:
        asked = await request.json()
        response = web.StreamResponse(headers={"Content-Type": "application/x-ndjson"})
        await response.prepare(request)

        try:
            async with contextlib.aclosing(self._tried(asked)) as lines:
                async for line in lines:
                    await response.write(json.dumps(line).encode() + b"\n")
        except ConnectionResetError:
            # Whoever asked is gone; leaving the loop has stopped the calls.
            return response
        await response.write_eof()
        return response

    async def _tried(self, asked: Mapping[str, Any]) -> AsyncGenerator[dict[str, Any], None]:
        """The lines of all jobs as they come, each with its job's key."""
        lines: asyncio.Queue[dict[str, Any] | None] = asyncio.Queue()

        async def one(job: Mapping[str, Any]) -> None:
            try:
                connection, model = await sync_to_async(self._model)(job["model"])
                text = asked["texts"][job["text"]]
                case = {**job, "scorecard": asked["scorecard"], "facts": asked.get("facts", [])}
                arm = arm_of({**job, "messages": text}, model, connection)
                played = (job.get("talk") or {}).get("model")
                user = await sync_to_async(self._callee)(played) if played else None
                async for line in try_once(self._client, arm, case, user):
                    lines.put_nowait({"key": job["key"], **line})
            except (DomainError, Model.DoesNotExist) as error:
                lines.put_nowait({"key": job["key"], "refused": str(error)})
            finally:
                lines.put_nowait(None)

        running = [asyncio.create_task(one(job)) for job in asked["jobs"]]
        try:
            waiting = len(running)
            while waiting:
                line = await lines.get()
                if line is None:
                    waiting -= 1
                else:
                    yield line
            # A programming error must not look like an answer that never came.
            await asyncio.gather(*running)
        finally:
            for task in running:
                task.cancel()

    async def _models(self, request: web.Request) -> web.Response:
        asked = await request.json()
        connection = await sync_to_async(self._connection)(asked["connection"])
        within = min(asked.get("within_s", connection.call_timeout_s), connection.call_timeout_s)
        connection = replace(connection, call_timeout_s=within)
        if base_url := asked.get("base_url"):
            # On the same host only: a kept key goes to no other.
            if urlsplit(base_url).netloc != urlsplit(connection.base_url).netloc:
                return web.json_response({"error": "another host"}, status=400)
            connection = replace(connection, base_url=base_url)
        try:
            found = await self._client.list_models(connection)
        except CallFailure as failure:
            return web.json_response({"failure": _told(failure)})
        return web.json_response({"models": [m.__dict__ for m in found]})

    async def _embed(self, request: web.Request) -> web.Response:
        asked = await request.json()
        connection = await sync_to_async(self._connection)(asked["connection"])
        try:
            found = await self._client.embed(connection, asked["model"], asked["texts"])
        except CallFailure as failure:
            return web.json_response({"failure": _told(failure)})
        return web.json_response({"vectors": found.vectors, "tokens_in": found.tokens_in})

    async def _try_now(self, request: web.Request) -> web.Response:
        asked = await request.json()
        self._client.traffic.try_now(str(asked["connection"]))
        return web.json_response({})

    def _model(self, model_id: int) -> tuple[Connection, Model]:
        self._keyring.refresh()
        model = Model.objects.select_related("connection").get(pk=model_id)
        return connection_spec(model.connection, model), model

    def _callee(self, model_id: int) -> Callee:
        self._keyring.refresh()
        return callee_of(Model.objects.select_related("connection").get(pk=model_id))

    def _connection(self, connection_id: int) -> Connection:
        self._keyring.refresh()
        return connection_spec(StoredConnection.objects.get(pk=connection_id))


def _told(failure: CallFailure) -> dict[str, Any]:
    return {"code": failure.code, "text": str(failure), "attempts": failure.attempts}
