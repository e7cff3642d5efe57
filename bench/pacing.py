"""Trials bound by the model's latency, and by a limit of requests per minute."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any
from urllib.request import urlopen

from bench import setting_up

LATENCY_S, CONCURRENCY = 0.2, 64
RATE, RATED_CALLS = 1200, 1500


def latency() -> list[dict[str, Any]]:
    """Wall time of calls of 200 ms, 64 at a time, over calls × latency ÷ concurrency."""
    rows = []
    for calls in (2560, 5120):
        with setting_up.fixed_server(LATENCY_S) as base:
            trial = setting_up.make_trial(base, calls, concurrency=CONCURRENCY)
            setting_up.run_worker()
            setting_up.check_complete(trial)
        ours, floor = setting_up.ledger_seconds(trial), calls * LATENCY_S / CONCURRENCY
        rows.append(
            {
                "what": f"{calls} calls of {LATENCY_S * 1000:.0f} ms, {CONCURRENCY} at a time",
                "ours": f"{ours:.2f} s",
                "floor": f"{floor:.2f} s",
                "ratio": ours / floor,
                "goal": "at most 1.10",
            }
        )
    return rows


def rate() -> list[dict[str, Any]]:
    """Share of the allowance used under a limit that the server itself counts and holds."""
    model = "standin-flint"
    faults = Path(os.environ["NOMIKON_DATA_DIR"]) / "limits.json"
    faults.write_text(json.dumps({"limits": {model: {"requests_per_minute": RATE}}}))
    with setting_up.standin("--pace", "0", "--faults", str(faults)) as base:
        trial = setting_up.make_trial(base, RATED_CALLS, model=model, requests_per_minute=RATE)
        setting_up.run_worker()
        setting_up.check_complete(trial)
        with urlopen(base.replace("/v1", "/log"), timeout=5) as reply:
            log = json.load(reply)
    seconds = setting_up.ledger_seconds(trial)
    allowed = RATE * seconds / 60
    return [
        {
            "what": f"{RATED_CALLS} calls at {RATE} a minute, {log['refused'][model]} refused, "
            f"{log['most_in_window'][model]} in a minute",
            "ours": f"{RATED_CALLS} calls",
            "floor": f"{allowed:.0f} calls",
            "ratio": RATED_CALLS / allowed,
            "goal": "at least 0.95, none refused",
        }
    ]
