"""One client for all connections: sends a call, streams its answer, tries again where it may."""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import Awaitable, Callable, Mapping
from dataclasses import replace
from types import TracebackType
from typing import Any

import aiohttp
from tenacity import (
    AsyncRetrying,
    RetryCallState,
    retry_if_exception,
    stop_after_attempt,
    wait_random_exponential,
)

from nomikon.models.errors import CallFailure, failure_of_status
from nomikon.models.types import Answer, Connection
from nomikon.models.wire import StreamReader, read_whole

FIRST_BACKOFF_S = 0.4
LONGEST_BACKOFF_S = 20.0
# A server may ask for more patience than a person has; past this it counts as failed.
LONGEST_RETRY_AFTER_S = 120.0
# Longest line of a stream: one event with a very long piece.
MAX_LINE = 8 * 1024 * 1024

Sleep = Callable[[float], Awaitable[None]]


class ModelClient:
    """Calls models over HTTP. Use as an async context manager.

    keys: environment by name, the one place where a key's value enters.
    clock: seconds that only go forward. sleep: how to wait between attempts.
    """

    def __init__(
        self,
        *,
        keys: Mapping[str, str],
        clock: Callable[[], float] = time.perf_counter,
        sleep: Sleep = asyncio.sleep,
    ) -> None:
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
        await self._session.close()

    async def call(
        self,
        connection: Connection,
        body: Mapping[str, Any],
        *,
        on_text: Callable[[str], None] | None = None,
    ) -> Answer:
        """Send one request and wait for its whole answer.

        on_text is given each piece as it comes; after a failed attempt the
        answer begins anew. Raises CallFailure with the number of attempts.
        """
        retrying = AsyncRetrying(
            retry=retry_if_exception(lambda e: isinstance(e, CallFailure) and e.may_retry),
            stop=stop_after_attempt(connection.max_attempts),
            wait=_wait,
            sleep=self._sleep,
            reraise=True,
        )
        try:
            async for attempt in retrying:
                with attempt:
                    answer = await self._once(connection, body, on_text)
            return replace(answer, attempts=attempt.retry_state.attempt_number)
        except CallFailure as failure:
            failure.attempts = attempt.retry_state.attempt_number
            raise

    async def _once(
        self,
        connection: Connection,
        body: Mapping[str, Any],
        on_text: Callable[[str], None] | None,
    ) -> Answer:
        try:
            async with asyncio.timeout(connection.call_timeout_s):
                return await self._stream(connection, body, on_text)
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
        body: Mapping[str, Any],
        on_text: Callable[[str], None] | None,
    ) -> Answer:
        assert self._session is not None, "the client is not open"
        url = connection.base_url.rstrip("/") + "/chat/completions"
        began = self._clock()
        first: float | None = None
        async with self._session.post(
            url,
            data=json.dumps(body, ensure_ascii=False).encode("utf-8", "surrogatepass"),
            headers=self._headers(connection),
            # A redirect could carry the key to another host.
            allow_redirects=False,
        ) as response:
            if response.status != 200:
                text = (await response.content.read(2000)).decode("utf-8", "replace")
                raise failure_of_status(response.status, text, response.headers.get("Retry-After"))
            if "text/event-stream" not in response.content_type:
                reader = read_whole(await self._json(response))
                first = self._clock()
            else:
                reader = StreamReader()
                async for line in _lines(response.content, connection.stall_timeout_s):
                    if reader.feed(line):
                        first = first if first is not None else self._clock()
                        if on_text:
                            on_text(reader.parts[-1])
                    if reader.done:
                        break
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
        if connection.key_env:
            key = self._keys.get(connection.key_env)
            if not key:
                raise CallFailure("no_key", connection.key_env)
            headers["Authorization"] = f"Bearer {key}"
        return headers


_backoff = wait_random_exponential(multiplier=FIRST_BACKOFF_S, max=LONGEST_BACKOFF_S)


def _wait(state: RetryCallState) -> float:
    """Seconds to the next attempt: as the server asked, else jittered and growing."""
    failure = state.outcome.exception() if state.outcome else None
    if isinstance(failure, CallFailure) and failure.retry_after_s is not None:
        return min(failure.retry_after_s, LONGEST_RETRY_AFTER_S)
    return _backoff(state)


async def _lines(stream: aiohttp.StreamReader, stall_s: float) -> Any:
    """Lines of a stream as they come. Raises CallFailure when it stalls."""
    rest = b""
    while True:
        try:
            async with asyncio.timeout(stall_s):
                chunk = await stream.readany()
        except TimeoutError as error:
            raise CallFailure("timeout", f"nothing came for {stall_s:g} s") from error
        if not chunk:
            break
        *lines, rest = (rest + chunk).split(b"\n")
        for line in lines:
            yield line.rstrip(b"\r")
        if len(rest) > MAX_LINE:
            raise CallFailure("malformed", "an event of the stream is too long")
    if rest:
        yield rest
