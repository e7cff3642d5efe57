"""Kills at random moments, and a storm of faults: nothing lost, nothing doubled, all counted."""

from __future__ import annotations

import json
import os
import random
import signal
import time
from pathlib import Path
from typing import Any
from urllib.request import urlopen

from bench import setting_up

KILLS, KILLED_CALLS, CONCURRENCY = 20, 4_000, 16
STORM_CALLS, STORM_SHARE = 3_000, 0.30
KINDS = ("http-429", "http-500", "drop-connection", "drop-stream", "malformed", "wrong-type")


def kills() -> list[dict[str, Any]]:
    """SIGKILL the worker twenty times; the server's count tells what was asked twice."""
    from nomikon.server.apps.trials.models import COMPLETE, Output, Trial

    draw = random.Random(7)
    with setting_up.standin("--pace", "0.3") as base:
        trial = setting_up.make_trial(
            base, KILLED_CALLS, model="standin-flint", concurrency=CONCURRENCY
        )
        command = ("-m", "nomikon", "worker", "--data-dir", os.environ["NOMIKON_DATA_DIR"])
        for turn in range(KILLS + 1):
            with setting_up.process(*command) as worker:
                deadline = time.monotonic() + (60 if turn == KILLS else draw.uniform(1.2, 2.6))
                while time.monotonic() < deadline:
                    if Trial.objects.get(pk=trial.pk).state == COMPLETE:
                        break
                    time.sleep(0.05)
                if turn < KILLS:
                    worker.send_signal(signal.SIGKILL)
                    worker.wait()
        setting_up.check_complete(trial)
        with urlopen(base.replace("/v1", "/log"), timeout=5) as reply:
            asked = json.load(reply)["calls"]
    rows = Output.objects.filter(arm__trial=trial).count()
    again = asked - rows
    return [
        {
            "what": f"{KILLS} kills: {rows} outputs of {KILLED_CALLS}, {again} calls asked twice",
            "ours": f"{again} calls",
            "floor": f"{KILLS * CONCURRENCY} in flight",
            "ratio": again / (KILLS * CONCURRENCY),
            "goal": "none lost or doubled",
        }
    ]


def storm() -> list[dict[str, Any]]:
    """Thirty of a hundred calls go wrong in six ways."""
    from nomikon.server.apps.connections.models import Health
    from nomikon.server.apps.trials.models import Call, Output

    faults = Path(os.environ["NOMIKON_DATA_DIR"]) / "faults.json"
    rows = [{"kind": k, "share": STORM_SHARE / len(KINDS), "retry_after_s": 0.05} for k in KINDS]
    faults.write_text(json.dumps({"seed": 5, "faults": rows}))
    with setting_up.standin("--pace", "0", "--faults", str(faults)) as base:
        trial = setting_up.make_trial(base, STORM_CALLS, model="standin-cobble", concurrency=32)
        setting_up.run_worker()
        setting_up.check_complete(trial, failures=True)
        with urlopen(base.replace("/v1", "/log"), timeout=5) as reply:
            log = json.load(reply)
    outputs = Output.objects.filter(arm__trial=trial)
    attempts = sum(Call.objects.filter(output__arm__trial=trial).values_list("attempts", flat=True))
    counted = sum(h.answered + sum(h.failures.values()) for h in Health.objects.all())
    failed = outputs.exclude(failure="").count()
    return [
        {
            "what": f"storm: {outputs.count()} outputs, {failed} failed and classified, "
            f"{attempts} attempts",
            "ours": f"{attempts} attempts",
            "floor": f"{log['calls']} at server",
            "ratio": attempts / log["calls"],
            "goal": f"1.00 (the screen's record: {counted})",
        }
    ]
