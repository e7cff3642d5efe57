"""The HTTP side: chat-completions and Open Inference Protocol (v2) over aiohttp."""

from __future__ import annotations

import asyncio
import contextlib
import json
import time
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator
from typing import Any

from aiohttp import web

from nomikon_standin import tokens
from nomikon_standin.answer import Sampling, answer
from nomikon_standin.continuing import asks_for_the_rest, the_rest
from nomikon_standin.embedding import DIMENSIONS, embedded
from nomikon_standin.faults import Fault, FaultPlan
from nomikon_standin.habits import HABITS, REASONING
from nomikon_standin.models import PERSONAS, Persona

IDENTITY = "standin-1"
ROLES = ("system", "user", "assistant")


class BadRequest(Exception):
    """The request cannot be served; the text goes back as it is."""

    def __init__(self, message: str, code: str, status: int = 400) -> None:
        super().__init__(message)
        self.code = code
        self.status = status


class Standin:
    """The application's state: which faults to play, how fast, and its own log of calls."""

    def __init__(self, *, faults: FaultPlan | None = None, pace: float = 1.0) -> None:
        self.faults = faults or FaultPlan()
        self.pace = pace
        self.log: list[dict[str, Any]] = []
        # When each call came, by model, and how many of a model's were there at once.
        self.arrivals: dict[str, list[float]] = {}
        self._at_once: dict[str, int] = {}
        self._most_at_once: dict[str, int] = {}

    def app(self) -> web.Application:
        """The aiohttp application."""
        app = web.Application(client_max_size=64 * 1024 * 1024, middlewares=[_client_gone])
        app.router.add_get("/v1/models", self.list_models)
        app.router.add_post("/v1/chat/completions", self.chat)
        app.router.add_post("/v1/embeddings", self.embed)
        app.router.add_post("/v2/repository/index", self.list_repository)
        app.router.add_get("/v2/models/{model}", self.model_metadata)
        app.router.add_post("/v2/models/{model}/generate", self.generate)
        app.router.add_post("/v2/models/{model}/generate_stream", self.generate_stream)
        app.router.add_get("/log", self.show_log)
        return app

    async def list_models(self, request: web.Request) -> web.Response:
        return web.json_response(
            {
                "object": "list",
                "data": [
                    {
                        "id": name,
                        "object": "model",
                        "owned_by": "nomikon-standin",
                        "context_length": p.context,
                        "simulated": True,
                    }
                    for name, p in PERSONAS.items()
                ],
            }
        )

    async def embed(self, request: web.Request) -> web.Response:
        """Vectors of hashed word pieces; see `embedding`."""
        try:
            body = await _json_body(request)
            persona = _persona(body.get("model"))
            given = body.get("input")
            texts = [given] if isinstance(given, str) else given
            if (
                not isinstance(texts, list)
                or not texts
                or not all(isinstance(t, str) for t in texts)
            ):
                raise BadRequest("input must be a text or a list of texts", "bad_request")
        except BadRequest as error:
            return _refusal(error)
        used = sum(tokens.count(t) for t in texts)
        return web.json_response(
            {
                "object": "list",
                "model": persona.name,
                "dimensions": DIMENSIONS,
                "data": [
                    {"object": "embedding", "index": i, "embedding": embedded(t)}
                    for i, t in enumerate(texts)
                ],
                "usage": {"prompt_tokens": used, "total_tokens": used},
            }
        )

    async def list_repository(self, request: web.Request) -> web.Response:
        rows = [{"name": name, "version": "1", "state": "READY"} for name in PERSONAS]
        return web.json_response(rows)

    async def model_metadata(self, request: web.Request) -> web.Response:
        name = request.match_info["model"]
        if name not in PERSONAS:
            return _refusal(BadRequest(f"there is no model {name!r}", "model_not_found", 404))
        return web.json_response(
            {
                "name": name,
                "platform": IDENTITY,
                "versions": ["1"],
                "inputs": [{"name": "text_input", "datatype": "BYTES", "shape": [1]}],
                "outputs": [{"name": "text_output", "datatype": "BYTES", "shape": [1]}],
            }
        )

    async def show_log(self, request: web.Request) -> web.Response:
        """Counts of calls by model and by what became of them, for tests.

        window_s: the most calls of a model that came within so many seconds
        (default 60), and the most that were there at once.
        """
        window = float(request.query.get("window_s", "60"))
        counts: dict[str, int] = {}
        for row in self.log:
            key = f"{row['model']} {row['result']}"
            counts[key] = counts.get(key, 0) + 1
        return web.json_response(
            {
                "calls": len(self.log),
                "counts": counts,
                "most_in_window": {m: _most_within(t, window) for m, t in self.arrivals.items()},
                "most_at_once": self._most_at_once,
                "refused": {m: limit.refused for m, limit in self.faults.limits.items()},
            }
        )

    @contextlib.contextmanager
    def _present(self, model: str) -> Iterator[int]:
        """Count a call as there; gives how many of its model are."""
        self.arrivals.setdefault(model, []).append(time.monotonic())
        count = self._at_once[model] = self._at_once.get(model, 0) + 1
        self._most_at_once[model] = max(count, self._most_at_once.get(model, 0))
        try:
            yield count
        finally:
            self._at_once[model] -= 1

    def _over_limit(self, model: str, at_once: int) -> web.Response | None:
        """A 429 when the model lets nothing more through just now."""
        limit = self.faults.limits.get(model)
        wait = None if limit is None else limit.retry_after_s(at_once, time.monotonic())
        if wait is None:
            return None
        self._note(model, "over-limit")
        return web.json_response(
            {"error": {"message": "too many requests", "code": 429}},
            status=429,
            headers={"Retry-After": f"{wait:.3f}"},
        )

    # --- chat completions ---------------------------------------------------

    async def chat(self, request: web.Request) -> web.StreamResponse:
        try:
            body = await _json_body(request)
            persona = _persona(body.get("model"))
        except BadRequest as error:
            self._note("unknown", error.code)
            return _refusal(error)
        with self._present(persona.name) as at_once:
            refused = self._over_limit(persona.name, at_once)
            return refused or await self._chat(request, body, persona)

    async def _chat(
        self, request: web.Request, body: dict[str, Any], persona: Persona
    ) -> web.StreamResponse:
        try:
            messages = _messages(body.get("messages"))
            sampling, limit, stops = _sampling(body)
            fault = self.faults.next_for(persona.name)
            if fault and (refused := await self._fault_before(request, persona, fault)):
                return refused
            text, finish, prompt_tokens = _complete(messages, persona, sampling, limit, stops)
        except BadRequest as error:
            self._note(persona.name, error.code)
            return _refusal(error)
        text, finish = _spoilt(text, finish, fault)
        # Asked for by the request, or played as a fault.
        wanted = str(body.get("reasoning_effort") or "none") != "none"
        thought = REASONING if wanted or (fault and fault.kind == "reasoning-field") else ""
        spent = tokens.count(text) + tokens.count(thought)
        usage: dict[str, Any] = {
            "prompt_tokens": prompt_tokens,
            "completion_tokens": spent,
            "total_tokens": prompt_tokens + spent,
        }
        if thought:
            usage["completion_tokens_details"] = {"reasoning_tokens": tokens.count(thought)}
        if fault and fault.kind == "no-usage":
            usage = {}
        self._note(persona.name, fault.kind if fault else "answered")
        head = {
            "id": f"run-{len(self.log)}",
            "created": int(time.time()),
            "model": persona.name,
            "system_fingerprint": IDENTITY,
        }
        if not body.get("stream"):
            await asyncio.sleep(self._duration(persona, text))
            return web.json_response(
                {
                    **head,
                    "object": "chat.completion",
                    "usage": usage,
                    "choices": [
                        {
                            "index": 0,
                            "finish_reason": finish,
                            "message": {
                                "role": "assistant",
                                "content": text,
                                **({"reasoning_content": thought} if thought else {}),
                            },
                        }
                    ],
                }
            )
        options = body.get("stream_options") or {}
        final = usage if options.get("include_usage") and usage else None
        return await self._stream_chat(request, persona, head, thought, text, finish, final, fault)

    async def _stream_chat(
        self,
        request: web.Request,
        persona: Persona,
        head: dict[str, Any],
        thought: str,
        text: str,
        finish: str,
        usage: dict[str, Any] | None,
        fault: Fault | None,
    ) -> web.StreamResponse:
        response = web.StreamResponse(
            headers={"Content-Type": "text/event-stream", "Cache-Control": "no-cache"}
        )
        await response.prepare(request)
        chunk = {**head, "object": "chat.completion.chunk"}

        async def send(delta: dict[str, Any], reason: str | None = None) -> None:
            row = {**chunk, "choices": [{"index": 0, "delta": delta, "finish_reason": reason}]}
            await response.write(b"data: " + json.dumps(row).encode() + b"\n\n")

        await send({"role": "assistant", "content": ""})
        if thought:
            await send({"reasoning_content": thought})
        sent = 0
        async for piece in self._pieces(persona, text):
            await send({"content": piece})
            sent += 1
            if fault and fault.kind == "drop-stream":
                if request.transport:
                    request.transport.close()
                return response
            if fault and fault.kind == "malformed" and sent == 1:
                await response.write(b'data: {"choices": [{"delta"\n\n')
        await send({}, finish)
        if usage is not None:
            row = {**chunk, "choices": [], "usage": usage}
            await response.write(b"data: " + json.dumps(row).encode() + b"\n\n")
        await response.write(b"data: [DONE]\n\n")
        await response.write_eof()
        return response

    async def _pieces(self, persona: Persona, text: str) -> AsyncIterator[str]:
        """The text piece by piece, at the model's own pace; several a tick where it is fast."""
        await asyncio.sleep(persona.first_ms * self.pace / 1000)
        every = persona.piece_ms * self.pace / 1000
        # The event loop cannot sleep for much less than 5 ms: send what is due by then.
        batch = max(1, round(0.02 / every)) if every > 0 else 64
        rows = tokens.pieces(text)
        for start in range(0, len(rows), batch):
            if every > 0:
                await asyncio.sleep(every * len(rows[start : start + batch]))
            yield "".join(rows[start : start + batch])

    def _duration(self, persona: Persona, text: str) -> float:
        return (persona.first_ms + persona.piece_ms * tokens.count(text)) * self.pace / 1000

    async def _fault_before(
        self, request: web.Request, persona: Persona, fault: Fault
    ) -> web.StreamResponse | None:
        """Play a fault that takes the place of an answer; None lets the answer begin."""
        if delay := self.faults.delay_ms(fault):
            await asyncio.sleep(delay / 1000)
        if fault.kind.startswith("http-"):
            self._note(persona.name, fault.kind)
            status = int(fault.kind.removeprefix("http-"))
            headers = {}
            if fault.retry_after_s is not None:
                headers["Retry-After"] = f"{fault.retry_after_s:g}"
            return web.json_response(
                {"error": {"message": f"simulated {status}", "code": status}},
                status=status,
                headers=headers,
            )
        if fault.kind == "drop-connection":
            self._note(persona.name, fault.kind)
            if request.transport:
                request.transport.close()
            return web.Response(status=500)
        if fault.kind == "wrong-type":
            self._note(persona.name, fault.kind)
            return web.Response(text="<html><body>It works</body></html>", content_type="text/html")
        if fault.kind == "no-answer":
            self._note(persona.name, fault.kind)
            return web.json_response({"choices": []})
        return None

    # --- Open Inference Protocol, version 2, generate extension --------------

    async def generate(self, request: web.Request) -> web.StreamResponse:
        try:
            persona, text, finish, counted, refused = await self._v2(request)
        except BadRequest as error:
            return _refusal(error)
        if refused:
            return refused
        await asyncio.sleep(self._duration(persona, text))
        return web.json_response(
            {
                "model_name": persona.name,
                "model_version": IDENTITY,
                "text_output": text,
                "details": {
                    "finish_reason": finish,
                    "prompt_tokens": counted,
                    "generated_tokens": tokens.count(text),
                },
            }
        )

    async def generate_stream(self, request: web.Request) -> web.StreamResponse:
        try:
            persona, text, finish, counted, refused = await self._v2(request)
        except BadRequest as error:
            return _refusal(error)
        if refused:
            return refused
        response = web.StreamResponse(headers={"Content-Type": "text/event-stream"})
        await response.prepare(request)
        async for piece in self._pieces(persona, text):
            row: dict[str, Any] = {
                "model_name": persona.name,
                "model_version": IDENTITY,
                "text_output": piece,
            }
            await response.write(b"data: " + json.dumps(row).encode() + b"\n\n")
        row = {
            "model_name": persona.name,
            "model_version": IDENTITY,
            "text_output": "",
            "details": {
                "finish_reason": finish,
                "prompt_tokens": counted,
                "generated_tokens": tokens.count(text),
            },
        }
        await response.write(b"data: " + json.dumps(row).encode() + b"\n\n")
        await response.write_eof()
        return response

    async def _v2(
        self, request: web.Request
    ) -> tuple[Persona, str, str, int, web.StreamResponse | None]:
        body = await _json_body(request)
        persona = _persona(request.match_info["model"])
        prompt = body.get("text_input")
        if not isinstance(prompt, str) or not prompt.strip():
            raise BadRequest("text_input must be a text that is not empty", "bad_request")
        parameters = body.get("parameters") or {}
        if not isinstance(parameters, dict):
            raise BadRequest("parameters must be an object", "bad_request")
        sampling, limit, stops = _sampling(parameters)
        text, finish, counted = _complete(
            [{"role": "user", "content": prompt}], persona, sampling, limit, stops
        )
        fault = self.faults.next_for(persona.name)
        with self._present(persona.name) as at_once:
            refused: web.StreamResponse | None = self._over_limit(persona.name, at_once)
            if fault and not refused:
                refused = await self._fault_before(request, persona, fault)
        text, finish = _spoilt(text, finish, fault)
        if not refused:
            self._note(persona.name, fault.kind if fault else "answered")
        return persona, text, finish, counted, refused

    def _note(self, model: str, result: str) -> None:
        self.log.append({"model": model, "result": result, "at": time.time()})


@web.middleware
async def _client_gone(
    request: web.Request, handler: Callable[[web.Request], Awaitable[web.StreamResponse]]
) -> web.StreamResponse:
    """A client that hangs up in mid-answer is no error of ours."""
    try:
        return await handler(request)
    except ConnectionResetError:
        return web.Response(status=499)


def _complete(
    messages: list[dict[str, str]],
    persona: Persona,
    sampling: Sampling,
    limit: int | None,
    stops: list[str],
) -> tuple[str, str, int]:
    """The answer within limit and stop sequences: text, finish reason, prompt tokens."""
    counted = sum(tokens.count(m["content"]) + 4 for m in messages)
    room = persona.context - counted
    if room < 1 or (limit and limit > room):
        raise BadRequest(
            f"the prompt has {counted} tokens and {limit or 1} are asked for the answer; "
            f"the context of {persona.name} holds {persona.context}",
            "context_too_long",
        )
    if asks_for_the_rest(messages):
        whole = answer(messages[:-2], persona, sampling)
        text = the_rest(whole, messages[-2]["content"], messages[-1]["content"])
    else:
        text = answer(messages, persona, sampling)
    finish = "stop"
    cuts = [text.index(s) for s in stops if s in text]
    if cuts:
        text = text[: min(cuts)]
    rows = tokens.pieces(text)
    most = min(limit or room, room)
    if len(rows) > most:
        text, finish = "".join(rows[:most]), "length"
    return text, finish, counted


def _spoilt(text: str, finish: str, fault: Fault | None) -> tuple[str, str]:
    """The answer as a fault leaves it: cut and owned up to, or just broken off."""
    kind = fault.kind if fault else ""
    if habit := HABITS.get(kind.removeprefix("habit-")):
        return habit(text), finish
    if kind not in ("truncate", "break-off"):
        return text, finish
    rows = tokens.pieces(text)
    return "".join(rows[: max(1, len(rows) // 2)]), "length" if kind == "truncate" else finish


def _most_within(times: list[float], window: float) -> int:
    """The most of these times that lie within any window of so many seconds."""
    most = first = 0
    for last, at in enumerate(times):
        while times[first] <= at - window:
            first += 1
        most = max(most, last - first + 1)
    return most


async def _json_body(request: web.Request) -> dict[str, Any]:
    try:
        body = await request.json()
    except ValueError as error:
        raise BadRequest("the body is not JSON", "bad_request") from error
    if not isinstance(body, dict):
        raise BadRequest("the body must be a JSON object", "bad_request")
    return body


def _persona(name: Any) -> Persona:
    if name not in PERSONAS:
        raise BadRequest(
            f"there is no model {name!r}; there are {', '.join(PERSONAS)}", "model_not_found", 404
        )
    return PERSONAS[name]


def _messages(rows: Any) -> list[dict[str, str]]:
    if not isinstance(rows, list) or not rows:
        raise BadRequest("messages must be a list that is not empty", "bad_request")
    for row in rows:
        if (
            not isinstance(row, dict)
            or row.get("role") not in ROLES
            or not isinstance(row.get("content"), str)
        ):
            raise BadRequest("every message needs a role and a text as content", "bad_request")
    return [{"role": r["role"], "content": r["content"]} for r in rows]


def _sampling(body: dict[str, Any]) -> tuple[Sampling, int | None, list[str]]:
    def number(name: str, low: float, high: float, default: float) -> float:
        value = body.get(name)
        if value is None:
            return default
        if (
            isinstance(value, bool)
            or not isinstance(value, (int, float))
            or not low <= value <= high
        ):
            raise BadRequest(f"{name} must be a number from {low:g} to {high:g}", "bad_request")
        return float(value)

    limit = body.get("max_tokens")
    if limit is not None and (isinstance(limit, bool) or not isinstance(limit, int) or limit < 1):
        raise BadRequest("max_tokens must be a whole number above 0", "bad_request")
    stops = body.get("stop") or []
    stops = [stops] if isinstance(stops, str) else stops
    if not isinstance(stops, list) or not all(isinstance(s, str) and s for s in stops):
        raise BadRequest("stop must be a text or a list of texts", "bad_request")
    top_k = body.get("top_k")
    return (
        Sampling(
            number("temperature", 0, 2, 0.7),
            number("top_p", 0, 1, 1.0),
            int(top_k) if isinstance(top_k, int) and top_k > 0 else None,
            int(number("seed", 0, 2**53, 0)),
        ),
        limit,
        stops,
    )


def _refusal(error: BadRequest) -> web.Response:
    return web.json_response(
        {"error": {"message": str(error), "code": error.code}}, status=error.status
    )


def serve(*, host: str, port: int, faults: FaultPlan | None = None, pace: float = 1.0) -> None:
    """Run the stand-in until it is stopped."""
    web.run_app(
        Standin(faults=faults, pace=pace).app(), host=host, port=port, print=None, access_log=None
    )
