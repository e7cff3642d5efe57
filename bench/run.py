"""Benchmarks, each beside its own floor measured in the same run.

python -m bench.run [NAME …] [--json FILE]
"""

from __future__ import annotations

import json
import os
import sys
import tempfile
from collections.abc import Callable
from typing import Any

from bench import setting_up
from bench.report import table

Row = dict[str, Any]


def benches() -> dict[str, Callable[[], list[Row]]]:
    """Every benchmark by name; imported late, since some need a database set up first."""
    from bench import (
        amending,
        clicks,
        compare,
        dispatch,
        editor,
        findings,
        gathering,
        marking,
        memory,
        mishaps,
        pacing,
        pages,
        racing,
        rescoring,
        scoring,
        scrolling,
        sizes,
        trust,
        trust_corners,
        trying,
        weights,
    )

    return {
        "dispatch": dispatch.measure,
        "latency": pacing.latency,
        "rate": pacing.rate,
        "memory": memory.measure,
        "kills": mishaps.kills,
        "storm": mishaps.storm,
        "pages": pages.measure,
        "clicks": clicks.measure,
        "sizes": sizes.measure,
        "scrolling": scrolling.measure,
        "compare": compare.measure,
        "findings": findings.measure,
        "amending": amending.measure,
        "trying": trying.measure,
        "scoring": scoring.measure,
        "rescoring": rescoring.measure,
        "gathering": gathering.measure,
        "racing": racing.measure,
        "trust": trust.measure,
        "corners": trust_corners.measure,
        "weights": weights.measure,
        "marking": marking.measure,
        "editor": editor.measure,
    }


def main() -> int:
    """Run the benchmarks named, or all."""
    arguments = sys.argv[1:]
    target = None
    if "--json" in arguments:
        place = arguments.index("--json")
        target = arguments[place + 1]
        del arguments[place : place + 2]
    with tempfile.TemporaryDirectory() as folder:
        os.environ["NOMIKON_DATA_DIR"] = folder
        os.environ.setdefault("DJANGO_SETTINGS_MODULE", "nomikon.server.settings")
        known = benches()
        unknown = [a for a in arguments if a not in known]
        if unknown:
            print(f"there is no benchmark {unknown[0]}; there are {', '.join(known)}")
            return 2
        setting_up.set_up()
        rows = []
        for name in arguments or known:
            print(f"{name} …", file=sys.stderr, flush=True)
            rows += known[name]()
    print(table(rows))
    if target:
        with open(target, "w", encoding="utf-8") as file:
            json.dump(rows, file, indent=1)
    return 0


if __name__ == "__main__":
    sys.exit(main())
