"""Asking the worker: the web process's side of the loopback."""

from __future__ import annotations

import contextlib
import http.client
import json
from collections.abc import Mapping
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings

from nomikon.core.errors import ConflictError

# The worker answers at once or waits for a model; the web process waits a little longer.
GRACE_S = 10.0


class WorkerAwayError(ConflictError):
    """The worker is not there to make a call."""

    code = "worker_away"


def link_file() -> Path:
    return Path(settings.DATA_DIR) / "worker-link.json"


AWAY = (
    "the worker is not running, so nothing can be called: it is started by `nomikon serve`, or "
    "alone by `nomikon worker`"
)


def link_address() -> tuple[str, str]:
    """Where the worker listens, and the token it wants. Raises WorkerAwayError."""
    try:
        known = json.loads(link_file().read_text(encoding="ascii"))
        return f"http://127.0.0.1:{int(known['port'])}", str(known["token"])
    except (OSError, ValueError, KeyError) as error:
        raise WorkerAwayError(AWAY) from error


def ask_worker(path: str, body: Mapping[str, Any] | None = None, *, within_s: float) -> Any:
    """Ask the worker and wait. Raises WorkerAwayError when it does not answer."""
    try:
        known = json.loads(link_file().read_text(encoding="ascii"))
        there = http.client.HTTPConnection(
            "127.0.0.1", known["port"], timeout=within_s + (GRACE_S if body is not None else 0.0)
        )
        with contextlib.closing(there):
            there.request(
                "GET" if body is None else "POST",
                path,
                None if body is None else json.dumps(body),
                {"Authorization": f"Bearer {known['token']}", "Content-Type": "application/json"},
            )
            reply = there.getresponse()
            text = reply.read()
    except (OSError, ValueError, KeyError, http.client.HTTPException) as error:
        raise WorkerAwayError(AWAY) from error
    if reply.status != 200:
        raise WorkerAwayError(f"the worker could not answer: {text[:200].decode(errors='replace')}")
    return json.loads(text)


def troubles() -> dict[str, str]:
    """What keeps the worker from storing, by trial; empty when it is well or away."""
    try:
        found: dict[str, str] = ask_worker("/status", within_s=1.0)["troubles"]
        return found
    except WorkerAwayError:
        return {}


# A worker that has not been seen for this long counts as stopped.
MISSED_AFTER = timedelta(seconds=8)
