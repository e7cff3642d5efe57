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
    """The next message; None at the end."""
    head = source.read(HEAD.size)
    if len(head) < HEAD.size:
        return None
    (length,) = HEAD.unpack(head)
    return pickle.loads(source.read(length))
