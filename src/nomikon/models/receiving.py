"""Taking in what a server sends, in bounds: length, lines, unpacked size, depth, and texts that can be kept."""

from __future__ import annotations

import asyncio
import json
import re
from typing import TYPE_CHECKING, Any

import orjson

from nomikon.models.errors import CallFailure, looks_like_page
from nomikon.models.types import MOST_ANSWER_MB

if TYPE_CHECKING:
    import aiohttp

# One line of a stream.
MOST_LINE = 1024 * 1024
# Token counts beyond this are no counts: nobody sends a billion tokens.
MOST_TOKENS = 1_000_000_000
LONGEST_REASON = 40
_UNKEPT = re.compile("[\ud800-\udfff\x00]")


async def read_body(response: aiohttp.ClientResponse, most_mb: int = MOST_ANSWER_MB) -> bytes:
    """The whole body. Raises CallFailure where it does not end within so much, unpacked."""
    parts, length = [], 0
    async for chunk in response.content.iter_chunked(65_536):
        length += len(chunk)
        if length > most_mb << 20:
            raise CallFailure("malformed", f"what came back is longer than {most_mb} MB")
        parts.append(chunk)
    return b"".join(parts)


async def read_json(response: aiohttp.ClientResponse, most_mb: int = MOST_ANSWER_MB) -> Any:
    """The body as JSON. Raises CallFailure (web_page, malformed)."""
    raw = await read_body(response, most_mb)
    try:
        return json.loads(raw)
    except RecursionError as error:
        raise CallFailure("malformed", "JSON that is nested too deep") from error
    except ValueError as error:
        shown = raw[:2000].decode("utf-8", "replace")
        if looks_like_page(shown):
            raise CallFailure("web_page") from error
        raise CallFailure("malformed", f"{response.content_type} where JSON was due") from error


class Lines:
    """Lines of a stream as they come, as many at a time as there are."""

    def __init__(
        self, stream: aiohttp.StreamReader, stall_s: float, most_mb: int = MOST_ANSWER_MB
    ) -> None:
        self._most_mb = most_mb
        self._stream = stream
        self._stall_s = stall_s
        self._rest = bytearray()
        self._length = 0

    async def next(self) -> list[bytes]:
        """The next whole lines; none at the end. Raises CallFailure when the stream stalls."""
        while True:
            try:
                async with asyncio.timeout(self._stall_s):
                    chunk = await self._stream.readany()
            except TimeoutError as error:
                raise CallFailure("timeout", f"nothing came for {self._stall_s:g} s") from error
            if not chunk:
                last, self._rest = bytes(self._rest), bytearray()
                return [last] if last else []
            self._length += len(chunk)
            if self._length > self._most_mb << 20:
                raise CallFailure("malformed", f"the stream is longer than {self._most_mb} MB")
            if b"\n" not in chunk:
                self._rest += chunk
                self._check(len(self._rest))
                continue
            *lines, rest = bytes(self._rest + chunk).split(b"\n")
            self._rest = bytearray(rest)
            self._check(max(len(rest), *(len(line) for line in lines)))
            return [line.rstrip(b"\r") for line in lines]

    @staticmethod
    def _check(length: int) -> None:
        if length > MOST_LINE:
            raise CallFailure(
                "malformed", f"a line of the stream is longer than {MOST_LINE >> 20} MB"
            )


def read_event(data: bytes) -> Any:
    """One event of a stream as JSON. Raises ValueError; half a character pair is taken as it comes."""
    try:
        return orjson.loads(data)
    except ValueError:
        # Some servers cut a text within a pair: the halves meet when the pieces are put together.
        return json.loads(data)


def clean(text: str) -> str:
    """A text that can be stored and shown: pairs that came apart are joined, the rest is marked.

    >>> clean("a\\ud800b")
    'a\ufffdb'
    """
    if not _UNKEPT.search(text):
        return text
    joined = text.encode("utf-16", "surrogatepass").decode("utf-16", "replace")
    return _UNKEPT.sub("\ufffd", joined)


def finish_of(value: Any) -> str | None:
    """A finish reason; what is no short text is told as what it is."""
    if value is None or value == "":
        return None
    return clean(value if isinstance(value, str) else f"({type(value).__name__})")[:LONGEST_REASON]


def count_of(value: Any) -> int | None:
    """A token count; None for what is none: negative, absurd, or no whole number."""
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= MOST_TOKENS:
        return None
    return int(value)
