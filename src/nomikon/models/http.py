"""One attempt over HTTP: send, stream, and a name for everything that goes wrong on the way."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import replace
from types import TracebackType
from typing import Any, TypeVar
from urllib.parse import urlsplit

import aiohttp

from nomikon.core.trials.estimates import estimate_messages, estimate_tokens
from nomikon.models.addresses import check_host
from nomikon.models.embeddings import embeddings_url, read_embeddings
from nomikon.models.errors import CallFailure, failure_of_status
from nomikon.models.protocols import PROTOCOLS, texts_of
from nomikon.models.protocols.base import Reader
from nomikon.models.receiving import Lines, clean, finish_of, read_json
from nomikon.models.resolving import CheckedResolver
from nomikon.models.secrets import Blotter, LiveBlotter
from nomikon.models.types import Answer, Connection, Embedded, OfferedModel, Waste

# One line of an answer's head, and a model's name for itself.
LONGEST_HEADER = 16 * 1024
LONGEST_NAME = 200

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
            connector=aiohttp.TCPConnector(limit=0, resolver=CheckedResolver()),
            cookie_jar=aiohttp.DummyCookieJar(),
            timeout=aiohttp.ClientTimeout(total=None),
            max_line_size=LONGEST_HEADER,
            max_field_size=LONGEST_HEADER,
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
                blotter = self._blotter(connection)
                models = protocol.read_list(await read_json(response))
                return [replace(m, name=clean(blotter(m.name))[:LONGEST_NAME]) for m in models]

        try:
            return await self._guarded(connection, ask)
        except CallFailure as failure:
            if failure.code == "unknown_model":
                raise CallFailure("refused", f"it offers no list at {url}") from failure
            raise

    async def embed(self, connection: Connection, model: str, texts: Sequence[str]) -> Embedded:
        """Texts as vectors, in one request. Raises CallFailure."""
        url = embeddings_url(connection)

        async def ask() -> Embedded:
            assert self._session is not None, "the client is not open"
            async with self._session.post(
                url,
                json={"model": model, "input": list(texts)},
                headers=self._headers(connection),
                allow_redirects=False,
            ) as response:
                await _refuse_status(response)
                return read_embeddings(await read_json(response), len(texts))

        return await self._guarded(connection, ask)

    async def attempt(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        on_text: Callable[[str], None] | None = None,
    ) -> Answer:
        """One request and its whole answer. Raises CallFailure."""
        reader = PROTOCOLS[connection.protocol].reader()
        begun = asyncio.Event()
        try:
            return await self._guarded(
                connection, lambda: self._stream(connection, model, body, on_text, reader, begun)
            )
        except CallFailure as failure:
            if begun.is_set():
                failure.waste = _wasted(failure, reader, body)
            raise

    async def _guarded(self, connection: Connection, ask: Callable[[], Awaitable[T]]) -> T:
        """Everything that can go wrong on the way, as a CallFailure that holds no key."""
        try:
            return await self._told_apart(connection, ask)
        except CallFailure as failure:
            raise failure.blotted(self._blotter(connection)) from None

    def _blotter(self, connection: Connection) -> Blotter:
        return Blotter(self._keys.get(connection.key_name or "") or "")

    async def _told_apart(self, connection: Connection, ask: Callable[[], Awaitable[T]]) -> T:
        try:
            check_host(urlsplit(connection.base_url).hostname)
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
            raise CallFailure("unreachable", "the address is none that can be asked") from error
        # What the libraries say of it quotes what came, and that may be some other service's own.
        except aiohttp.ClientPayloadError as error:
            told = "it ended before it said it would, or cannot be unpacked"
            raise CallFailure("dropped_stream", told) from error
        except (aiohttp.http.HttpProcessingError, aiohttp.ClientResponseError) as error:
            raise CallFailure("malformed", "no HTTP as it should be") from error
        except (aiohttp.ClientError, ConnectionError) as error:
            raise CallFailure("unreachable", "the connection broke off") from error
        except RecursionError as error:
            raise CallFailure("malformed", "JSON that is nested too deep") from error
        except ValueError as error:
            raise CallFailure("malformed", "what came back cannot be read") from error

    async def _stream(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        on_text: Callable[[str], None] | None,
        reader: Reader,
        begun: asyncio.Event,
    ) -> Answer:
        assert self._session is not None, "the client is not open"
        url = PROTOCOLS[connection.protocol].url(connection.base_url, model)
        blotter = self._blotter(connection)
        live = LiveBlotter(blotter)
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
            begun.set()
            if "text/event-stream" not in response.content_type:
                reader.read_whole(await read_json(response, connection.most_answer_mb))
                first = self._clock()
            else:
                lines = Lines(
                    response.content, connection.stall_timeout_s, connection.most_answer_mb
                )
                while not reader.done and (some := await lines.next()):
                    for line in some:
                        if reader.feed(line):
                            first = first if first is not None else self._clock()
                            if on_text and reader.parts:
                                on_text(live.feed(clean(reader.parts[-1])))
                if on_text and (rest := live.rest()):
                    on_text(rest)
                reader.check_complete()
        ended = self._clock()
        answer = Answer(
            text=clean(reader.text),
            finish_reason=finish_of(reader.finish_reason),
            usage=reader.usage,
            latency_ms=(ended - began) * 1000,
            first_ms=None if first is None or not reader.text else (first - began) * 1000,
            model_identity=clean(reader.identity)[:LONGEST_NAME],
            reasoning=clean(reader.reasoning),
            refusal=clean(reader.refusal),
            tool_calls=tuple((clean(n), clean(a)) for n, a in reader.tool_calls),
        )
        return blotter.answer(answer)

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


def _wasted(failure: CallFailure, reader: Reader, body: Mapping[str, Any]) -> Waste:
    """What an attempt took that the server had begun to answer: as reported, else estimated."""
    said = reader.reasoning + reader.text
    usage = reader.usage
    if not said and usage.tokens_in is None and failure.code not in ("dropped_stream", "timeout"):
        # What came back was no answer at all.
        return Waste()
    tokens_in, tokens_out = usage.tokens_in, usage.tokens_out
    return Waste(
        estimate_messages(texts_of(body)) if tokens_in is None else tokens_in,
        estimate_tokens(said) if tokens_out is None else tokens_out,
    )


async def _refuse_status(response: aiohttp.ClientResponse) -> None:
    """Raise CallFailure for every status but 200."""
    if response.status != 200:
        text = (await response.content.read(2000)).decode("utf-8", "replace")
        raise failure_of_status(response.status, text, response.headers.get("Retry-After"))


def _host(error: aiohttp.ClientConnectorError) -> str:
    return f"{error.host}:{error.port}"
