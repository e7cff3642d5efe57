"""Two long versions set against each other, beside the standard library's line comparison."""

from __future__ import annotations

import difflib
import random
import time
from typing import Any

from nomikon.core.prompts import Message, amendments_between

RUNS = 5


def measure() -> list[dict[str, Any]]:
    """Two sizes, so that growth shows; a third of the clauses changed and a block moved."""
    return [_at(size) for size in (150, 300)]


def _at(size: int) -> dict[str, Any]:
    dice = random.Random(0)
    words = [f"word{i}" for i in range(900)]
    old = [" ".join(dice.choices(words, k=12)).capitalize() + "." for _ in range(size)]
    new = [dice.choice([c.replace(" ", " very ", 1), c]) if i % 3 else c for i, c in enumerate(old)]
    new = new[20:40] + new[:20] + new[40:]
    a, b = [Message("system", "\n".join(old))], [Message("system", "\n".join(new))]

    def align() -> None:
        found = amendments_between(a, b)
        messages, _ = found.apply([x.id for x in found.amendments])
        assert messages == tuple(b)

    ours = min(_seconds(align) for _ in range(RUNS))
    floor = min(
        _seconds(lambda: list(difflib.SequenceMatcher(None, old, new).get_opcodes()))
        for _ in range(RUNS)
    )
    return {
        "what": f"amendments of two versions of {size} clauses, and all of them applied",
        "ours": f"{ours * 1000:.0f} ms",
        "floor": f"{floor * 1000:.1f} ms",
        "ratio": ours / floor,
        "goal": "under 300 ms at 300",
    }


def _seconds(run: Any) -> float:
    began = time.perf_counter()
    run()
    return time.perf_counter() - began
