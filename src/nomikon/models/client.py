"""One client for all connections: sends a call, streams its answer, tries again where it may."""

from __future__ import annotations

import asyncio
import json
import random
import time
from collections.abc import Awaitable, Callable, Mapping
from dataclasses import replace
from types import TracebackType
from typing import Any, TypeVar

import aiohttp
from tenacity import (
    AsyncRetrying,
    RetryCallState,
    retry_if_exception,
    stop_after_attempt,
)

from nomikon.core.trials.estimates import DEFAULT_OUTPUT_TOKENS, estimate_messages
from nomikon.models.errors import CallFailure, failure_of_status
from nomikon.models.protocols import call_url, list_request, read_list, reader_of, texts_of
from nomikon.models.traffic import Traffic
from nomikon.models.types import TRIAL, Answer, Connection, Limits, OfferedModel

FIRST_BACKOFF_S = 0.4
LONGEST_BACKOFF_S = 20.0
# A server may ask for more patience than a person has; past this it counts as failed.
LONGEST_RETRY_AFTER_S = 120.0
# Longest line of a stream: one event with a very long piece.
MAX_LINE = 8 * 1024 * 1024

Sleep = Callable[[float], Awaitable[None]]
T = TypeVar("T")


class ModelClient:
    """Calls models over HTTP. Use as an async context manager.

    keys: values by name, the one place where a key's value enters.
    clock: seconds that only go forward. sleep: how to wait between attempts.
    traffic: who may call when; one for all clients of a process.
    """

    def __init__(
        self,
        *,
        keys: Mapping[str, str],
        clock: Callable[[], float] = time.perf_counter,
        sleep: Sleep = asyncio.sleep,
        traffic: Traffic | None = None,
    ) -> None:
        self.traffic = traffic or Traffic(clock=clock, sleep=sleep)
        self._keys = keys
        self._clock = clock
        self._sleep = sleep
        self._session: aiohttp.ClientSession | None = None

    async def __aenter__(self) -> ModelClient:
        # No cookies, no proxy from the environment, no limit of its own: the
        # engine decides how many calls are under way.
        self._session = aiohttp.ClientSession(
            connector=aiohttp.TCPConnector(limit=0),
            cookie_jar=aiohttp.DummyCookieJar(),
            timeout=aiohttp.ClientTimeout(total=None),
        )
        return self

    async def __aexit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        assert self._session is not None
        self.traffic.close()
        await self._session.close()

    async def call(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        *,
        on_text: Callable[[str], None] | None = None,
        priority: int = TRIAL,
    ) -> Answer:
        """Send one request and wait for its whole answer.

        on_text is given each piece as it comes; after a failed attempt the
        answer begins anew. Between two attempts the place is given up, so that
        others may use it. Raises CallFailure with the number of attempts.
        """
        tokens = _tokens(connection, body)
        sent = 0

        async def attempt() -> Answer:
            nonlocal sent
            ticket = await self.traffic.enter(connection, model, tokens=tokens, priority=priority)
            sent += 1
            try:
                answer = await self._once(connection, model, body, on_text)
            except CallFailure as failure:
                self.traffic.failed(ticket, failure)
                raise
            except BaseException:
                self.traffic.dropped(ticket)
                raise
            self.traffic.answered(ticket, answer)
            return answer

        try:
            return await attempt()
        except CallFailure as failure:
            # Most calls need no second attempt and pay nothing for its machinery.
            failure.attempts = sent
            if not failure.may_retry or connection.max_attempts < 2:
                raise
            first = failure
        retrying = AsyncRetrying(
            retry=retry_if_exception(lambda e: isinstance(e, CallFailure) and e.may_retry),
            stop=stop_after_attempt(connection.max_attempts - 1),
            wait=_wait,
            sleep=self._sleep,
            reraise=True,
        )
        await self._sleep(_wait_s(first, 1))
        try:
            answer: Answer = await retrying(attempt)
            return replace(answer, attempts=sent)
        except CallFailure as failure:
            failure.attempts = sent
            raise

    async def list_models(self, connection: Connection) -> list[OfferedModel]:
        """The models a server says it has. Raises CallFailure."""
        method, url = list_request(connection.protocol, connection.base_url)

        async def ask() -> list[OfferedModel]:
            assert self._session is not None, "the client is not open"
            async with self._session.request(
                method, url, headers=self._headers(connection), allow_redirects=False
            ) as response:
                await _refuse_status(response)
                return read_list(connection.protocol, await self._json(response))

        try:
            return await self._guarded(connection, ask)
        except CallFailure as failure:
            if failure.code == "unknown_model":
                raise CallFailure("refused", f"it offers no list at {url}") from failure
            raise

    async def _once(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        on_text: Callable[[str], None] | None,
    ) -> Answer:
        return await self._guarded(
            connection, lambda: self._stream(connection, model, body, on_text)
        )

    async def _guarded(self, connection: Connection, ask: Callable[[], Awaitable[T]]) -> T:
        """Everything that can go wrong on the way, as a CallFailure that holds no key."""
        try:
            return await self._told_apart(connection, ask)
        except CallFailure as failure:
            secret = self._keys.get(connection.key_name or "") or ""
            raise failure.without(secret) from None

    async def _told_apart(self, connection: Connection, ask: Callable[[], Awaitable[T]]) -> T:
        try:
            async with asyncio.timeout(connection.call_timeout_s):
                return await ask()
        except TimeoutError as error:
            raise CallFailure("timeout", f"{connection.call_timeout_s:g} s") from error
        except aiohttp.ClientConnectorError as error:
            raise CallFailure("unreachable", str(error)) from error
        except aiohttp.InvalidURL as error:
            raise CallFailure("unreachable", f"unusable address {error}") from error
        except aiohttp.ClientPayloadError as error:
            raise CallFailure("dropped_stream", str(error)) from error
        except (aiohttp.ClientError, ConnectionError) as error:
            raise CallFailure("unreachable", f"{type(error).__name__}: {error}") from error
        except ValueError as error:
            raise CallFailure("malformed", str(error)) from error

    async def _stream(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        on_text: Callable[[str], None] | None,
    ) -> Answer:
        assert self._session is not None, "the client is not open"
        url = call_url(connection.protocol, connection.base_url, model)
        reader = reader_of(connection.protocol)
        began = self._clock()
        first: float | None = None
        async with self._session.post(
            url,
            data=json.dumps(body, ensure_ascii=False).encode("utf-8", "surrogatepass"),
            headers=self._headers(connection),
            # A redirect could carry the key to another host.
            allow_redirects=False,
        ) as response:
            await _refuse_status(response)
            if "text/event-stream" not in response.content_type:
                reader.read_whole(await self._json(response))
                first = self._clock()
            else:
                lines = _Lines(response.content, connection.stall_timeout_s)
                while not reader.done and (some := await lines.next()):
                    for line in some:
                        if reader.feed(line):
                            first = first if first is not None else self._clock()
                            if on_text:
                                on_text(reader.parts[-1])
                reader.check_complete()
        ended = self._clock()
        return Answer(
            text=reader.text,
            finish_reason=reader.finish_reason,
            usage=reader.usage,
            latency_ms=(ended - began) * 1000,
            first_ms=None if first is None or not reader.text else (first - began) * 1000,
            model_identity=reader.identity,
        )

    async def _json(self, response: aiohttp.ClientResponse) -> Any:
        raw = await response.read()
        try:
            return json.loads(raw)
        except ValueError as error:
            shown = raw[:200].decode("utf-8", "replace")
            raise CallFailure(
                "malformed", f"{response.content_type} where JSON was due: {shown}"
            ) from error

    def _headers(self, connection: Connection) -> dict[str, str]:
        headers = {"Content-Type": "application/json", "Accept": "text/event-stream"}
        if connection.key_name:
            key = self._keys.get(connection.key_name)
            if not key:
                raise CallFailure("no_key", connection.key_name)
            headers["Authorization"] = f"Bearer {key}"
        return headers


def _tokens(connection: Connection, body: Mapping[str, Any]) -> float:
    """Tokens of prompt and answer, estimated only where a limit asks for them."""
    limits: tuple[Limits, ...] = (connection.limits, connection.model_limits)
    if all(x.tokens_per_minute is None for x in limits):
        return 0.0
    asked = body.get("max_tokens") or body.get("parameters", {}).get("max_tokens")
    return estimate_messages(texts_of(body)) + (asked or DEFAULT_OUTPUT_TOKENS)


async def _refuse_status(response: aiohttp.ClientResponse) -> None:
    """Raise CallFailure for every status but 200."""
    if response.status != 200:
        text = (await response.content.read(2000)).decode("utf-8", "replace")
        raise failure_of_status(response.status, text, response.headers.get("Retry-After"))


def _wait(state: RetryCallState) -> float:
    """Seconds to the next attempt: as the server asked, else jittered and growing."""
    failure = state.outcome.exception() if state.outcome else None
    # The first attempt was made before this count began.
    return _wait_s(failure, state.attempt_number + 1)


def _wait_s(failure: BaseException | None, attempts: int) -> float:
    if isinstance(failure, CallFailure) and failure.retry_after_s is not None:
        return min(failure.retry_after_s, LONGEST_RETRY_AFTER_S)
    # Full jitter (Brooker, 2015): anywhere up to the growing limit.
    return random.uniform(0, min(LONGEST_BACKOFF_S, FIRST_BACKOFF_S * 2 ** (attempts - 1)))


class _Lines:
    """Lines of a stream as they come, as many at a time as there are."""

    def __init__(self, stream: aiohttp.StreamReader, stall_s: float) -> None:
        self._stream = stream
        self._stall_s = stall_s
        self._rest = b""

    async def next(self) -> list[bytes]:
        """The next whole lines; none at the end. Raises CallFailure when the stream stalls."""
        while True:
            try:
                async with asyncio.timeout(self._stall_s):
                    chunk = await self._stream.readany()
            except TimeoutError as error:
                raise CallFailure("timeout", f"nothing came for {self._stall_s:g} s") from error
            if not chunk:
                last, self._rest = self._rest, b""
                return [last] if last else []
            *lines, self._rest = (self._rest + chunk).split(b"\n")
            if len(self._rest) > MAX_LINE:
                raise CallFailure("malformed", "an event of the stream is too long")
            if lines:
                return [line.rstrip(b"\r") for line in lines]
