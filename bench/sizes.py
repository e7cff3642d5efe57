"""Every page's reads at two sizes: processor cold and warm, and the memory of the process that read them.

Each size has a data directory and a process of its own; beside it, in that very process, a fixed loop.
"""

from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

SIZES = ((24, 834), (400, 250))
LOOP = 2_000_000
WARM = 3


def measure() -> list[dict[str, Any]]:
    """20,000 answers of 24 arms, and 100,000 of 400."""
    rows = []
    for arms, cases in SIZES:
        with tempfile.TemporaryDirectory() as folder:
            environment = {
                **os.environ,
                "NOMIKON_DATA_DIR": folder,
                "NOMIKON_DB": str(Path(folder) / "nomikon.sqlite3"),
            }
            done = subprocess.run(
                [sys.executable, "-m", "bench.sizes", str(arms), str(cases)],
                env=environment, stdout=subprocess.PIPE, text=True, check=True,
            )  # fmt: skip
        rows += json.loads(done.stdout.splitlines()[-1])
    return rows


def _cpu(act: Callable[[], Any]) -> float:
    began = time.process_time()
    act()
    return time.process_time() - began


def _loop() -> int:
    total = 0
    for n in range(LOOP):
        total += n & 7
    return total


def _of_size(arms: int, cases: int) -> list[dict[str, Any]]:
    from bench import setting_up

    setting_up.set_up()
    from django.test import Client

    from bench.clicks import _more_briefs, large_trial

    trial = large_trial(cases, arms)
    _more_briefs()
    # What making it has taken is no part of reading it: that is done by a process of its own.
    child = os.fork()
    if child:
        os.waitpid(child, 0)
        return list(json.loads((Path(os.environ["NOMIKON_DATA_DIR"]) / "told.json").read_text()))
    from django.db import connections

    connections.close_all()
    client = Client(headers={"host": "localhost"})
    first, second = trial.arms.order_by("position").values_list("pk", flat=True)[:2]
    base, pair = f"/api/trials/{trial.pk}", f"{second}/{first}"
    floor = min(_cpu(_loop) for _ in range(3))
    rows = []
    for name, path in (
        ("desk", "/api/desk/"),
        ("brief", f"/api/briefs/{trial.brief_id}/"),
        ("trials", f"/api/briefs/{trial.brief_id}/trials/"),
        ("board", f"{base}/"),
        ("arms in full", f"{base}/arms/"),
        ("cells", f"{base}/cells/"),
        ("review", f"/api/briefs/{trial.brief_id}/reading/"),
        ("compare", f"{base}/compare/{pair}/"),
        ("together", f"{base}/together/{first}/"),
        ("merits", f"{base}/merits/"),
    ):

        def get(path: str = path) -> None:
            answer = client.get(path)
            assert answer.status_code == 200, (path, answer.status_code)

        cold = _cpu(get)
        warm = min(_cpu(get) for _ in range(WARM))
        rows.append(
            {
                "what": f"{name}, {arms} arms × {cases} cases: cold {cold:.2f} s, warm over a loop",
                "ours": f"{warm * 1000:.0f} ms",
                "floor": f"{floor * 1000:.0f} ms",
                "ratio": warm / floor,
                "goal": "100 ms of processor",
            }
        )
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    rows.append(
        {
            "what": f"memory after all of them, {arms} arms × {cases} cases",
            "ours": f"{memory:.0f} MB",
            "floor": "350 MB",
            "ratio": memory / 350,
            "goal": "at most 350 MB",
        }
    )
    (Path(os.environ["NOMIKON_DATA_DIR"]) / "told.json").write_text(json.dumps(rows))
    os._exit(0)


if __name__ == "__main__":
    print(json.dumps(_of_size(int(sys.argv[1]), int(sys.argv[2]))))
