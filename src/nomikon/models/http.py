"""One attempt over HTTP: send, stream, and a name for everything that goes wrong on the way."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Awaitable, Callable, Mapping
from types import TracebackType
from typing import Any, TypeVar

import aiohttp

from nomikon.models.errors import CallFailure, failure_of_status, looks_like_page, page_title
from nomikon.models.protocols import PROTOCOLS
from nomikon.models.types import Answer, Connection, OfferedModel

# Longest line of a stream: one event with a very long piece.
MAX_LINE = 8 * 1024 * 1024

T = TypeVar("T")


class HttpTransport:
    """Makes attempts in this process's event loop. Use as an async context manager.

    keys: values by name, the one place where a key's value enters. clock:
    seconds that only go forward.
    """

    def __init__(self, *, keys: Mapping[str, str], clock: Callable[[], float]) -> None:
        self._keys = keys
        self._clock = clock
        self._session: aiohttp.ClientSession | None = None

    async def __aenter__(self) -> HttpTransport:
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

    async def list_models(self, connection: Connection) -> list[OfferedModel]:
        """The models a server says it has. Raises CallFailure."""
        protocol = PROTOCOLS[connection.protocol]
        method, url = protocol.list_request(connection.base_url)

        async def ask() -> list[OfferedModel]:
            assert self._session is not None, "the client is not open"
            async with self._session.request(
                method, url, headers=self._headers(connection), allow_redirects=False
            ) as response:
                await _refuse_status(response)
                return protocol.read_list(await self._json(response))

        try:
            return await self._guarded(connection, ask)
        except CallFailure as failure:
            if failure.code == "unknown_model":
                raise CallFailure("refused", f"it offers no list at {url}") from failure
            raise

    async def attempt(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        on_text: Callable[[str], None] | None = None,
    ) -> Answer:
        """One request and its whole answer. Raises CallFailure."""
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
        except aiohttp.ClientConnectorCertificateError as error:
            raise CallFailure("bad_certificate", _host(error)) from error
        except aiohttp.ClientConnectorSSLError as error:
            # A plain server that is spoken to as if it were encrypted, or the reverse.
            raise CallFailure("unreachable", f"no secure connection to {_host(error)}") from error
        except aiohttp.ClientConnectorDNSError as error:
            raise CallFailure("no_such_host", error.host) from error
        except aiohttp.ClientConnectorError as error:
            refused = isinstance(error.os_error, ConnectionRefusedError)
            raise CallFailure(
                "nothing_listens" if refused else "unreachable", _host(error)
            ) from error
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
        protocol = PROTOCOLS[connection.protocol]
        url = protocol.url(connection.base_url, model)
        reader = protocol.reader()
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
                            if on_text and reader.parts:
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
            reasoning=reader.reasoning,
            refusal=reader.refusal,
            tool_calls=reader.tool_calls,
        )

    async def _json(self, response: aiohttp.ClientResponse) -> Any:
        raw = await response.read()
        try:
            return json.loads(raw)
        except ValueError as error:
            shown = raw[:2000].decode("utf-8", "replace")
            if looks_like_page(shown):
                raise CallFailure("web_page", page_title(shown)) from error
            raise CallFailure(
                "malformed", f"{response.content_type} where JSON was due: {shown[:200]}"
            ) from error

    def _headers(self, connection: Connection) -> dict[str, str]:
        headers = {"Content-Type": "application/json", "Accept": "text/event-stream"}
        if connection.key_name:
            key = self._keys.get(connection.key_name)
            if not key:
                raise CallFailure("no_key", connection.key_name)
            headers["Authorization"] = f"Bearer {key}"
        # Last, so that a server with a manner of its own can be told the key in it.
        headers.update(connection.headers)
        return headers


async def _refuse_status(response: aiohttp.ClientResponse) -> None:
    """Raise CallFailure for every status but 200."""
    if response.status != 200:
        text = (await response.content.read(2000)).decode("utf-8", "replace")
        raise failure_of_status(response.status, text, response.headers.get("Retry-After"))


def _host(error: aiohttp.ClientConnectorError) -> str:
    return f"{error.host}:{error.port}"


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
