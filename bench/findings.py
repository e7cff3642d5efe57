"""Clauses and findings of a long prompt, beside reading its characters once per rule."""

from __future__ import annotations

import re
import time
from typing import Any

from nomikon.core.prompts import Message
from nomikon.core.prompts.findings import Subject, check_prompt, rules

RUNS = 5


def measure() -> list[dict[str, Any]]:
    """Two sizes, so that growth shows; the best of a few runs."""
    return [_at(size) for size in (10_000, 20_000)]


def _at(size: int) -> dict[str, Any]:
    line = "- Rule {}: name the vessel and its time in at most {} words, with care.\n"
    text = "".join(line.format(i, i + 5) for i in range(size // 60))[:size]
    word = re.compile(r"\w+")
    ours = min(
        _seconds(lambda: check_prompt(Subject((Message("user", text),)))) for _ in range(RUNS)
    )
    floor = min(_seconds(lambda: [word.findall(text) for _ in rules()]) for _ in range(RUNS))
    return {
        "what": f"clauses and findings of {size:,} characters, {len(rules())} rules",
        "ours": f"{ours * 1000:.0f} ms",
        "floor": f"{floor * 1000:.0f} ms",
        "ratio": ours / floor,
        "goal": "under 100 ms at 20,000",
    }


def _seconds(run: Any) -> float:
    began = time.perf_counter()
    run()
    return time.perf_counter() - began
