"""Streamed calls at zero model latency, stored and scored, beside a bare client loop."""

from __future__ import annotations

import asyncio
import json
import os
import subprocess
import sys
import time
from typing import Any

import aiohttp

CALLS, CONCURRENCY = 1500, 64
SERVER = """
import json, sys
from aiohttp import web

def event(delta, finish=None, usage=None):
    row = {"model": "fixed", "choices": [{"index": 0, "delta": delta, "finish_reason": finish}]}
    if usage:
        row = {"model": "fixed", "choices": [], "usage": usage}
    return b"data: " + json.dumps(row).encode() + b"\\n\\n"

BODY = b"".join([event({"content": w + " "}) for w in "the sea is wet and so is this answer".split()]
    + [event({}, "stop"), event({}, None, {"prompt_tokens": 9, "completion_tokens": 9}),
       b"data: [DONE]\\n\\n"])

async def chat(request):
    await request.read()
    return web.Response(body=BODY, content_type="text/event-stream")

app = web.Application()
app.router.add_post("/v1/chat/completions", chat)
web.run_app(app, port=int(sys.argv[1]), host="127.0.0.1", print=None, access_log=None)
"""


def measure() -> list[dict[str, Any]]:
    """Calls per second of a whole trial, and of the bare loop against the same server."""
    import socket

    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = subprocess.Popen([sys.executable, "-c", SERVER, str(port)])
    try:
        _wait(port)
        base = f"http://127.0.0.1:{port}/v1"
        bodies = _set_up(base)
        floor = asyncio.run(_bare(base, bodies))
        ours = _trial()
    finally:
        server.terminate()
        server.wait()
    return [
        {
            "what": f"dispatch of {CALLS} streamed calls, stored and scored",
            "ours": f"{ours:.0f} per s",
            "floor": f"{floor:.0f} per s",
            "ratio": ours / floor,
            "goal": "at least 0.6",
        }
    ]


def _wait(port: int) -> None:
    import socket

    for _ in range(200):
        try:
            with socket.create_connection(("127.0.0.1", port), 0.2):
                return
        except OSError:
            time.sleep(0.05)
    raise RuntimeError("the fixed-answer server did not start")


def _set_up(base: str) -> list[dict[str, Any]]:
    """A brief with enough cases for one arm; returns the bodies its calls will send."""
    from pathlib import Path

    from nomikon.server.launch import set_up_django

    set_up_django(Path(os.environ["NOMIKON_DATA_DIR"]))
    from django.utils import timezone

    from nomikon.core.cases import read_csv
    from nomikon.core.prompts import Message
    from nomikon.models.chat import request_body
    from nomikon.server.briefs.actions.create_brief import CreateBrief
    from nomikon.server.briefs.actions.save_scorecard import SaveScorecard
    from nomikon.server.briefs.actions.save_version import SaveVersion
    from nomikon.server.connections.actions.save_connection import SaveConnection
    from nomikon.server.connections.actions.save_model import SaveModel
    from nomikon.server.datasets.actions.create_dataset import CreateDataset
    from nomikon.server.datasets.actions.import_cases import ImportCases
    from nomikon.server.trials.actions.start_trial import StartTrial
    from nomikon.server.trials.planning import make_plan

    who = {"actor": "bench", "now": timezone.now()}
    brief = CreateBrief("Bench", "", "other", **who).execute()
    dataset = CreateDataset(brief, "Rows", **who).execute()
    rows = "\n".join(["sea", *[f"sea {i}" for i in range(CALLS)]])
    ImportCases(dataset, read_csv(rows.encode()), {}, "working", **who).execute()
    card = {
        "nomikon": "scorecard/1",
        "measures": [
            {"measure": "length", "unit": "words", "max": 20},
            {"measure": "contains", "all": ["wet"]},
            {"measure": "not-contains", "phrases": ["dry"]},
        ],
    }
    SaveScorecard(brief, card, **who).execute()
    version = SaveVersion(
        brief, [{"role": "user", "content": "Is {{sea}} wet?"}], {}, None, "", **who
    ).execute()
    connection = SaveConnection(
        connection=None,
        name="fixed",
        protocol="chat-completions",
        base_url=base,
        key_env="",
        concurrency=CONCURRENCY,
        call_timeout_s=60,
        stall_timeout_s=60,
        **who,
    ).execute()
    model = SaveModel(connection, None, "fixed", None, None, None, **who).execute()
    data = dataset.versions.order_by("-number").first()
    plan = make_plan(
        brief,
        versions=[version.number],
        models=[model.pk],
        settings=[],
        dataset_version=data.pk,
        split="working",
        repeats=1,
    )
    StartTrial(plan, "", **who).execute()
    return [
        request_body("fixed", [Message("user", f"Is sea {i} wet?")], {}, seed=0)
        for i in range(CALLS)
    ]


async def _bare(base: str, bodies: list[dict[str, Any]]) -> float:
    """The floor: identical requests, every event parsed, nothing kept."""
    places = asyncio.Semaphore(CONCURRENCY)
    connector = aiohttp.TCPConnector(limit=0)
    async with aiohttp.ClientSession(connector=connector) as session:

        async def one(body: dict[str, Any]) -> None:
            async with places, session.post(f"{base}/chat/completions", json=body) as response:
                async for line in response.content:
                    if line.startswith(b"data:") and b"[DONE]" not in line:
                        json.loads(line[5:])

        began = time.perf_counter()
        await asyncio.gather(*[one(b) for b in bodies])
        return CALLS / (time.perf_counter() - began)


def _trial() -> float:
    """The trial as the worker runs it."""
    from nomikon.server.trials.models import COMPLETE, Output, Trial
    from nomikon.server.worker import work

    began = time.perf_counter()
    asyncio.run(work(until_idle=True))
    taken = time.perf_counter() - began
    trial = Trial.objects.get()
    if trial.state != COMPLETE or Output.objects.filter(failure="").count() != CALLS:
        raise RuntimeError(f"the trial ended as {trial.state}: {trial.message}")
    return CALLS / taken
