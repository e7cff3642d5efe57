"""The server of simulated models: asked for by a press on the page, started and ended by `serve`.

The web process leaves its wish in the data directory; the process that serves it sees to it, now and
at every later start.
"""

from __future__ import annotations

import contextlib
import socket
import time
from pathlib import Path

from nomikon.companions import model_server
from nomikon.core.errors import ConflictError

WANTED, PORT = "simulated-models-wanted", "model-server-port"
STARTS_WITHIN_S = 20.0


class NoSimulatedModelsError(ConflictError):
    """They cannot be had here; the message says why and what to do."""

    code = "no_simulated_models"


def port_kept(data_dir: Path) -> int | None:
    """The port that the server has here; None where it never ran."""
    # Whatever it was called when it was kept: a connection names its port.
    kept = next(data_dir.glob("*-port"), None)
    return int(kept.read_text(encoding="ascii")) if kept is not None else None


def is_wanted(data_dir: Path) -> bool:
    """Whether the page asked for it."""
    return (data_dir / WANTED).exists()


def have_it_run(data_dir: Path) -> str:
    """The base URL of the server, once it listens. Raises NoSimulatedModelsError."""
    if model_server(0) is None:
        raise NoSimulatedModelsError(
            "the simulated models are a package of their own, and it is not installed here: use models of "
            "your own, or install it and start again"
        )
    (data_dir / WANTED).touch()
    deadline = time.monotonic() + STARTS_WITHIN_S
    while time.monotonic() < deadline:
        port = port_kept(data_dir)
        with contextlib.suppress(OSError):
            if port is not None:
                socket.create_connection(("127.0.0.1", port), 0.5).close()
                return f"http://127.0.0.1:{port}/v1"
        time.sleep(0.1)
    raise NoSimulatedModelsError(
        "the simulated models did not start: they are started by `nomikon serve`. Try it once more, or "
        "look at what it says"
    )
