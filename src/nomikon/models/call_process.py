"""Attempts made in a process of their own, so that calling and storing use two processors.

The parent keeps limits, retries, keys and everything that decides; the child
sends a request, reads its stream and gives back the answer. They speak over a
private socket pair: a length of four bytes, then a pickle.
"""

from __future__ import annotations

import asyncio
import itertools
import os
import pickle
import socket
import struct
import subprocess
import sys
import time
from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from types import TracebackType
from typing import Any, cast

from nomikon.models.errors import CallFailure
from nomikon.models.http import HttpTransport
from nomikon.models.types import Answer, Connection, Embedded, OfferedModel, Waste

_LENGTH = struct.Struct("!I")
# The one name under which a request's key is known in the child.
_KEY = "key"
STOP_WITHIN_S = 5.0
MOST_PLAIN = 64


class Frames(asyncio.Protocol):
    """Whole messages over a stream of bytes."""

    def __init__(self, on_message: Callable[[Any], None], on_lost: Callable[[], None]) -> None:
        self._on_message = on_message
        self._on_lost = on_lost
        self._rest = bytearray()
        self._transport: asyncio.Transport | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        """The socket is ready."""
        # Not an instance check: uvloop's transports are of no common class.
        self._transport = cast(asyncio.Transport, transport)

    def data_received(self, data: bytes) -> None:
        """Some bytes: give out every message that is whole."""
        self._rest += data
        at = 0
        while len(self._rest) - at >= _LENGTH.size:
            (length,) = _LENGTH.unpack_from(self._rest, at)
            end = at + _LENGTH.size + length
            if len(self._rest) < end:
                break
            self._on_message(pickle.loads(self._rest[at + _LENGTH.size : end]))
            at = end
        # In place: a long message comes in many pieces, and none of it is copied for each.
        del self._rest[:at]

    def connection_lost(self, error: Exception | None) -> None:
        """The other side is gone."""
        self._transport = None
        self._on_lost()

    def send(self, message: Any) -> None:
        """Send one message. Raises CallFailure when nobody is there."""
        if self._transport is None:
            raise CallFailure("unreachable", "the process that makes the calls has ended")
        data = pickle.dumps(message, pickle.HIGHEST_PROTOCOL)
        self._transport.write(_LENGTH.pack(len(data)) + data)

    def close(self) -> None:
        """Hang up."""
        if self._transport is not None:
            self._transport.close()


class CallProcess:
    """A transport whose attempts are made by a child process, started anew when it dies.

    An attempt whose pieces somebody wants to see as they come is made here.
    """

    def __init__(
        self, *, keys: Mapping[str, str], clock: Callable[[], float] = time.perf_counter
    ) -> None:
        self._keys = keys
        self._here = HttpTransport(keys=keys, clock=clock)
        self._pending: dict[int, asyncio.Future[Answer]] = {}
        self._number = itertools.count()
        self._child: subprocess.Popen[bytes] | None = None
        self._frames: Frames | None = None
        # Of the connections called lately, as they are sent: a copy for every call is dear.
        self._sent_as: OrderedDict[int, tuple[Connection, Connection]] = OrderedDict()
        self._starting = asyncio.Lock()

    async def __aenter__(self) -> CallProcess:
        await self._here.__aenter__()
        return self

    async def __aexit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if self._frames is not None:
            self._frames.close()
        if self._child is not None:
            # It ends by itself when its socket closes.
            await asyncio.to_thread(_end, self._child)
        await self._here.__aexit__(kind, error, trace)

    async def list_models(self, connection: Connection) -> list[OfferedModel]:
        """The models a server says it has. Raises CallFailure."""
        return await self._here.list_models(connection)

    async def embed(self, connection: Connection, model: str, texts: Sequence[str]) -> Embedded:
        """Texts as vectors, in one request. Raises CallFailure."""
        return await self._here.embed(connection, model, texts)

    async def attempt(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        on_text: Callable[[str], None] | None = None,
    ) -> Answer:
        """One request and its whole answer. Raises CallFailure."""
        if on_text is not None:
            return await self._here.attempt(connection, model, body, on_text)
        key = None
        if connection.key_name:
            key = self._keys.get(connection.key_name)
            if not key:
                raise CallFailure("no_key", connection.key_name)
        frames = self._frames
        if frames is None:
            frames = await self._started()
        number = next(self._number)
        waiting: asyncio.Future[Answer] = asyncio.get_running_loop().create_future()
        frames.send((number, self._plain(connection), model, body, key))
        self._pending[number] = waiting
        try:
            return await waiting
        except asyncio.CancelledError:
            if self._frames is frames:
                frames.send((number, None, None, None, None))
            raise
        finally:
            self._pending.pop(number, None)

    def _plain(self, connection: Connection) -> Connection:
        """The connection without the name of its key."""
        known, plain = self._sent_as.get(id(connection), (None, connection))
        if known is not connection:
            plain = replace(connection, key_name=_KEY if connection.key_name else None)
            # Held beside it, so that no other connection comes to have its id.
            self._sent_as[id(connection)] = (connection, plain)
            if len(self._sent_as) > MOST_PLAIN:
                self._sent_as.popitem(last=False)
        return plain

    async def _started(self) -> Frames:
        async with self._starting:
            if self._frames is None:
                if self._child is not None:
                    # The former one has died; its status is taken, so that it is gone.
                    await asyncio.to_thread(_end, self._child)
                here, there = socket.socketpair()
                self._child = subprocess.Popen(
                    [sys.executable, "-m", "nomikon.models.call_process", str(there.fileno())],
                    pass_fds=[there.fileno()],
                )
                there.close()
                loop = asyncio.get_running_loop()
                _, self._frames = await loop.create_connection(
                    lambda: Frames(self._came, self._lost), sock=here
                )
            return self._frames

    def _came(self, message: Any) -> None:
        number, answer, failure = message
        waiting = self._pending.get(number)
        if waiting is None or waiting.done():
            return
        if failure is None:
            waiting.set_result(answer)
        else:
            code, whole, retry_after_s, waste = failure
            waiting.set_exception(
                CallFailure(code, whole, retry_after_s=retry_after_s, waste=waste)
            )

    def _lost(self) -> None:
        """The child died: what it had under way is asked again, by a new one."""
        self._frames = None
        for waiting in self._pending.values():
            if not waiting.done():
                waiting.set_exception(
                    CallFailure("dropped_stream", "the process that makes the calls has ended")
                )


def _end(child: subprocess.Popen[bytes]) -> None:
    try:
        child.wait(STOP_WITHIN_S)
    except subprocess.TimeoutExpired:
        child.kill()
        child.wait()


# --- the child's side --------------------------------------------------------


async def _serve(handle: int) -> None:
    """Make the attempts that come over a socket, until it closes."""
    over = asyncio.Event()
    under_way: dict[int, asyncio.Task[None]] = {}
    transports: dict[str | None, HttpTransport] = {}

    async def transport_for(key: str | None) -> HttpTransport:
        # One session for each key; there are as many as connections with one.
        if key not in transports:
            keys = {} if key is None else {_KEY: key}
            transports[key] = HttpTransport(keys=keys, clock=time.perf_counter)
            await transports[key].__aenter__()
        return transports[key]

    async def make(number: int, connection: Connection, model: str, body: Any, key: Any) -> None:
        try:
            transport = await transport_for(key)
            reply = (number, await transport.attempt(connection, model, body), None)
        except CallFailure as failure:
            told = (failure.code, failure.whole, failure.retry_after_s, failure.waste)
            reply = (number, None, told)  # type: ignore[assignment]
        except Exception as error:  # noqa: BLE001
            # Whoever waits for it must be told, whatever it was.
            unforeseen = ("unforeseen", type(error).__name__, None, Waste())
            reply = (number, None, unforeseen)  # type: ignore[assignment]
        finally:
            under_way.pop(number, None)
        if not over.is_set():
            frames.send(reply)

    def came(message: Any) -> None:
        number, connection, *rest = message
        if connection is None:
            if task := under_way.get(number):
                task.cancel()
            return
        under_way[number] = asyncio.create_task(make(number, connection, *rest))

    loop = asyncio.get_running_loop()
    frames = Frames(came, over.set)
    await loop.create_connection(lambda: frames, sock=socket.socket(fileno=handle))
    await over.wait()
    for task in list(under_way.values()):
        task.cancel()
    await asyncio.gather(*under_way.values(), return_exceptions=True)
    for transport in transports.values():
        await transport.__aexit__(None, None, None)


def main() -> None:
    """Entry point of the child: the number of its end of the socket pair."""
    import signal

    import uvloop

    # The parent decides when this ends; Ctrl-C reaches both.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    uvloop.run(_serve(int(sys.argv[1])))
    os._exit(0)


if __name__ == "__main__":
    main()
