"""Messages between the pool and its processes: a length, then a pickle. Both ends are this program."""

from __future__ import annotations

import pickle
import struct
from typing import Any, BinaryIO

HEAD = struct.Struct("!I")
AT, DONE = "at", "done"


def send(out: BinaryIO, value: Any) -> None:
    """One message: its length, then its pickle. Both ends are this program."""
    data = pickle.dumps(value, protocol=pickle.HIGHEST_PROTOCOL)
    out.write(HEAD.pack(len(data)) + data)
    out.flush()


def receive(source: BinaryIO) -> Any:
    """The next message; None at the end, also where it ends within a message."""
    head = _whole(source, HEAD.size)
    data = None if head is None else _whole(source, *HEAD.unpack(head))
    return None if data is None else pickle.loads(data)


def _whole(source: BinaryIO, size: int) -> bytes | None:
    """Exactly so many bytes. One read of an unbuffered pipe gives what is there, which may be less."""
    found = bytearray()
    while len(found) < size:
        piece = source.read(size - len(found))
        if not piece:
            return None
        found += piece
    return bytes(found)
