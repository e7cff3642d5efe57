"""How long after a model's first piece it reaches the page, for one try and for twelve at once."""

from __future__ import annotations

import http.client
import json
import os
import time
from typing import Any

from bench import setting_up

RUNS = 15


def measure() -> list[dict[str, Any]]:
    """Through web and worker, against asking the server directly in the same run."""
    from nomikon.server.apps.briefs.models import Brief
    from nomikon.server.apps.connections.models import Model

    setting_up.set_up()
    data = os.environ["NOMIKON_DATA_DIR"]
    port = setting_up.free_port()
    web = ("-m", "uvicorn", "nomikon.server.process.asgi:application", "--port", str(port))
    quiet = ("--lifespan", "off", "--log-level", "error", "--timeout-graceful-shutdown", "1")
    rows = []
    with (
        setting_up.standin("--pace", "1") as base,
        setting_up.process(*web, *quiet, port=port),
        setting_up.process("-m", "nomikon", "worker", "--data-dir", data),
    ):
        trial = setting_up.make_trial(base, 8, model="standin-flint", concurrency=16)
        brief, model = Brief.objects.get(pk=trial.brief_id), Model.objects.last()
        time.sleep(4)
        headers = _session(port)
        for jobs in (1, 12):
            ours = sorted(_through(port, headers, brief.pk, model.pk, jobs) for _ in range(RUNS))
            floor = sorted(_direct(base) for _ in range(RUNS))
            late = (ours[RUNS // 2] - floor[RUNS // 2]) * 1000
            rows.append(
                {
                    "what": f"first words of a try, {jobs} at once, after the model's own (median)",
                    "ours": f"{ours[RUNS // 2] * 1000:.0f} ms (+{late:.0f})",
                    "floor": f"{floor[RUNS // 2] * 1000:.0f} ms",
                    "ratio": ours[RUNS // 2] / floor[RUNS // 2],
                    "goal": "within 300 ms of it",
                }
            )
    return rows


MESSAGES = [{"role": "user", "content": "Tell me about the sea in three sentences."}]


def _session(port: int) -> dict[str, str]:
    there = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    there.request("GET", "/api/session/")
    reply = there.getresponse()
    cookie = reply.headers["Set-Cookie"].split(";")[0]
    token = json.loads(reply.read())["csrf"]
    return {"Cookie": cookie, "X-CSRFToken": token, "Content-Type": "application/json"}


def _through(port: int, headers: dict[str, str], brief: int, model: int, jobs: int) -> float:
    job = {"model": model, "messages": MESSAGES, "settings": {"temperature": 0}}
    body = {"jobs": [{**job, "key": str(i)} for i in range(jobs)]}
    there = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    began = time.perf_counter()
    there.request("POST", f"/api/briefs/{brief}/try/", json.dumps(body), headers)
    reply = there.getresponse()
    first = reply.readline()
    assert b'"text"' in first, first
    taken = time.perf_counter() - began
    reply.read()
    there.close()
    return taken


def _direct(base: str) -> float:
    host = base.split("//")[1].split("/")[0]
    there = http.client.HTTPConnection(host, timeout=30)
    body = {"model": "standin-flint", "messages": MESSAGES, "stream": True, "temperature": 0}
    began = time.perf_counter()
    there.request(
        "POST", "/v1/chat/completions", json.dumps(body), {"Content-Type": "application/json"}
    )
    reply = there.getresponse()
    while b'"content"' not in reply.readline():
        pass
    taken = time.perf_counter() - began
    reply.read()
    there.close()
    return taken
