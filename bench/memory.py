"""Memory of the worker while a trial grows tenfold."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
from typing import Any

from bench import setting_up

SMALL, LARGE, CASES = 5_000, 50_000, 500


def measure() -> list[dict[str, Any]]:
    """Peak memory of a process that runs 5,000 calls and of one that runs 50,000."""
    small, large = _peak_mb(SMALL), _peak_mb(LARGE)
    return [
        {
            "what": f"peak memory of the worker, {LARGE:,} calls over {SMALL:,}",
            "ours": f"{large:.0f} MB",
            "floor": f"{small:.0f} MB",
            "ratio": large / small,
            "goal": "at most 1.2",
        }
    ]


def _peak_mb(calls: int) -> float:
    with tempfile.TemporaryDirectory() as folder:
        done = subprocess.run(
            [sys.executable, "-m", "bench.memory", str(calls)],
            env={**os.environ, "NOMIKON_DATA_DIR": folder},
            capture_output=True,
            text=True,
            check=True,
        )
    return float(done.stdout.split()[-1])


def main() -> None:
    """Run one trial in this process and print its peak memory in MB."""
    calls = int(sys.argv[1])
    setting_up.set_up()
    with setting_up.fixed_server() as base:
        trial = setting_up.make_trial(base, CASES, repeats=min(100, calls // CASES))
        setting_up.run_worker()
        setting_up.check_complete(trial)
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)


if __name__ == "__main__":
    main()
