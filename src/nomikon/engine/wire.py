"""Messages between this program and processes of its own, and what such a process may take."""

from __future__ import annotations

import contextlib
import pickle
import select
import struct
from typing import IO, Any, Protocol


class Out(Protocol):
    """Where bytes can be written to, all of them."""

    def write(self, data: bytes, /) -> Any: ...
    def flush(self) -> None: ...


HEAD = struct.Struct("!I")
MEMORY = 1 << 30


def send(out: Out, value: Any) -> None:
    """One message: its length, then its pickle. Both ends are this program."""
    data = pickle.dumps(value, protocol=pickle.HIGHEST_PROTOCOL)
    out.write(HEAD.pack(len(data)) + data)
    out.flush()


def receive(source: IO[bytes]) -> Any:
    """The next message; None at the end, also where it ends within a message."""
    head = _whole(source, HEAD.size)
    data = None if head is None else _whole(source, *HEAD.unpack(head))
    return None if data is None else pickle.loads(data)


def _whole(source: IO[bytes], size: int) -> bytes | None:
    """Exactly so many bytes. One read of an unbuffered pipe gives what is there, which may be less."""
    found = bytearray()
    while len(found) < size:
        piece = source.read(size - len(found))
        if not piece:
            return None
        found += piece
    return bytes(found)


def ready(stream: IO[bytes], wait_s: float) -> bool:
    """Whether something, or the end, can be read of a pipe within so many seconds."""
    # Not select: it knows no descriptor beyond 1,023, and a server has more streams than that.
    looking = select.poll()
    looking.register(stream, select.POLLIN)
    return bool(looking.poll(wait_s * 1000))


def bound_memory() -> None:
    """This process may take MEMORY bytes more than it has now, where the system can hold it to that."""
    with contextlib.suppress(ImportError, ValueError, OSError):
        import resource

        pages = int(open("/proc/self/statm").read().split()[0])  # noqa: SIM115
        most = pages * resource.getpagesize() + MEMORY
        resource.setrlimit(resource.RLIMIT_AS, (most, most))
