"""What the engine's benchmarks share: a server, a trial against it, the worker that runs it."""

from __future__ import annotations

import contextlib
import os
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

# A server of fixed answers: latency in seconds, and a count of what came.
FIXED = """
import asyncio, json, sys
from aiohttp import web

LATENCY = float(sys.argv[2])

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
    if LATENCY:
        await asyncio.sleep(LATENCY)
    return web.Response(body=BODY, content_type="text/event-stream")

app = web.Application()
app.router.add_post("/v1/chat/completions", chat)
web.run_app(app, port=int(sys.argv[1]), host="127.0.0.1", print=None, access_log=None)
"""
CARD = {
    "nomikon": "scorecard/1",
    "measures": [
        {"measure": "length", "unit": "words", "max": 20},
        {"measure": "contains", "all": ["wet"]},
        {"measure": "not-contains", "phrases": ["dry"]},
    ],
}


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def wait_for(port: int, within_s: float = 20.0) -> None:
    deadline = time.monotonic() + within_s
    while time.monotonic() < deadline:
        with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 0.2):
            return
        time.sleep(0.05)
    raise RuntimeError(f"nobody listens on port {port}")


@contextlib.contextmanager
def process(*command: str, port: int | None = None) -> Iterator[subprocess.Popen[bytes]]:
    """A Python process for as long as the block runs; waits for its port where it has one."""
    running = subprocess.Popen([sys.executable, *command], env=dict(os.environ))
    try:
        if port is not None:
            wait_for(port)
        yield running
    finally:
        running.terminate()
        try:
            running.wait(10)
        except subprocess.TimeoutExpired:
            running.kill()
            running.wait()


@contextlib.contextmanager
def fixed_server(latency_s: float = 0.0) -> Iterator[str]:
    """A server that gives one answer; its base URL."""
    port = free_port()
    with process("-c", FIXED, str(port), str(latency_s), port=port):
        yield f"http://127.0.0.1:{port}/v1"


@contextlib.contextmanager
def standin(*options: str) -> Iterator[str]:
    """The stand-in; its base URL."""
    port = free_port()
    with process("-m", "nomikon", "standin", "--port", str(port), *options, port=port):
        yield f"http://127.0.0.1:{port}/v1"


def set_up() -> None:
    """Django on this run's data directory, its tables made."""
    from nomikon.server.process.launch import set_up_django

    set_up_django(Path(os.environ["NOMIKON_DATA_DIR"]))


def make_trial(
    base_url: str,
    n_cases: int,
    *,
    model: str = "fixed",
    concurrency: int = 64,
    repeats: int = 1,
    **limits: int,
) -> Any:
    """A trial of one arm, started but not yet taken up."""
    from django.utils import timezone

    from nomikon.core.cases import read_csv
    from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
    from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
    from nomikon.server.apps.briefs.actions.save_version import SaveVersion
    from nomikon.server.apps.briefs.models import Brief
    from nomikon.server.apps.connections.actions.save_connection import SaveConnection
    from nomikon.server.apps.connections.actions.save_model import SaveModel
    from nomikon.server.apps.datasets.actions.create_dataset import CreateDataset
    from nomikon.server.apps.datasets.actions.import_cases import ImportCases
    from nomikon.server.apps.trials.actions.start_trial import StartTrial
    from nomikon.server.apps.trials.planning import make_plan

    set_up()
    who = {"actor": "bench", "now": timezone.now()}
    name = f"Bench {Brief.objects.count() + 1}"
    brief = CreateBrief(name, "", "other", **who).execute()
    dataset = CreateDataset(brief, "Rows", **who).execute()
    rows = "\n".join(["sea", *[f"sea {i}" for i in range(n_cases)]])
    ImportCases(dataset, read_csv(rows.encode()), {}, "working", **who).execute()
    SaveScorecard(brief, CARD, **who).execute()
    message = {"role": "user", "content": "Is {{sea}} wet?"}
    version = SaveVersion(brief, [message], {}, None, "", **who).execute()
    connection = SaveConnection(
        connection=None,
        name=name,
        protocol="chat-completions",
        base_url=base_url,
        key_env="",
        concurrency=concurrency,
        call_timeout_s=60,
        stall_timeout_s=60,
        **limits,
        **who,
    ).execute()
    made = SaveModel(connection, None, model, None, None, None, **who).execute()
    plan = make_plan(
        brief,
        versions=[version.number],
        models=[made.pk],
        settings=[],
        dataset_version=dataset.versions.order_by("-number").first().pk,
        split="working",
        repeats=repeats,
    )
    return StartTrial(plan, "", **who).execute()


def run_worker() -> float:
    """Run what is queued as the worker does, in this process; seconds it took."""
    import uvloop

    from nomikon.server.process.worker import work

    began = time.perf_counter()
    uvloop.run(work(until_idle=True))
    return time.perf_counter() - began


def check_complete(trial: Any, *, failures: bool = False) -> None:
    """Stop the benchmark unless every output is there, once."""
    from nomikon.server.apps.trials.models import COMPLETE, Output

    trial.refresh_from_db()
    outputs = Output.objects.filter(arm__trial=trial)
    cells = set(outputs.values_list("arm_id", "revision_id", "repeat"))
    failed = outputs.exclude(failure="").count()
    if trial.state != COMPLETE or len(cells) != trial.n_outputs or (failed and not failures):
        raise RuntimeError(
            f"the trial ended as {trial.state} with {len(cells)} of {trial.n_outputs} outputs, "
            f"{failed} failed: {trial.message}"
        )


def ledger_seconds(trial: Any) -> float:
    """From the first to the last answer stored: what a trial took without start and end."""
    trial.refresh_from_db()
    return float((trial.finished_at - trial.started_at).total_seconds())
