"""What open pages cost a running trial."""

from __future__ import annotations

import contextlib
import http.client
import json
import os
import threading
import time
from typing import Any

from bench import setting_up

PAGES, CALLS = 20, 1_200
# As the page does: figures are asked for again at this pace at most (useLiveRefresh).
PACE_S = 1.2


def measure() -> list[dict[str, Any]]:
    """A trial with nobody looking, and one that twenty browsers watch."""
    from nomikon.server.apps.trials.models import COMPLETE, Trial

    setting_up.set_up()
    data = os.environ["NOMIKON_DATA_DIR"]
    port = setting_up.free_port()
    web = ("-m", "uvicorn", "nomikon.server.process.asgi:application", "--port", str(port))
    quiet = ("--lifespan", "off", "--log-level", "error", "--timeout-graceful-shutdown", "1")
    seconds = {}
    with (
        setting_up.standin("--pace", "8") as base,
        setting_up.process(*web, *quiet, port=port),
        setting_up.process("-m", "nomikon", "worker", "--data-dir", data),
    ):
        for watchers in (0, PAGES):
            trial = setting_up.make_trial(base, CALLS, model="standin-flint", concurrency=16)
            stopping = threading.Event()
            pages = [
                threading.Thread(target=_page, args=(port, trial.pk, stopping), daemon=True)
                for _ in range(watchers)
            ]
            for page in pages:
                page.start()
            while Trial.objects.get(pk=trial.pk).state != COMPLETE:
                time.sleep(0.2)
            stopping.set()
            setting_up.check_complete(trial)
            seconds[watchers] = setting_up.ledger_seconds(trial)
            time.sleep(1)
    return [
        {
            "what": f"a trial of {CALLS} calls, {PAGES} pages open over none",
            "ours": f"{seconds[PAGES]:.1f} s",
            "floor": f"{seconds[0]:.1f} s",
            "ratio": seconds[PAGES] / seconds[0],
            "goal": "at most 1.10",
        }
    ]


def _page(port: int, trial: int, stopping: threading.Event) -> None:
    """One browser: the event stream, and the board's figures whenever something came."""
    stream = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    stream.request("GET", "/api/events/")
    reply = stream.getresponse()
    asked = 0.0
    while not stopping.is_set():
        try:
            line = reply.readline()
        except OSError:
            return
        if not line.startswith(b"data:") or time.monotonic() - asked < PACE_S:
            continue
        event = json.loads(line[5:])
        if event.get("topic") != f"trial:{trial}":
            continue
        asked = time.monotonic()
        for path in (f"/api/trials/{trial}/", "/api/session/"):
            if stopping.is_set():
                return
            call = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
            with contextlib.closing(call):
                call.request("GET", path)
                call.getresponse().read()
    stream.close()
