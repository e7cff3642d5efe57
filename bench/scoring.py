"""Scoring, near-copies and import at size."""

from __future__ import annotations

import random
import time
import tracemalloc
from typing import Any

from nomikon.core.cases import read_csv
from nomikon.core.cases.near import near_duplicates
from nomikon.core.measures import Answer, read_scorecard, score_answer
from nomikon.core.trials import Outcome

# As when stored answers are scored anew: what an output is taken for is known.
ANSWERED = Outcome("answered", "")
CARD = {
    "nomikon": "scorecard/1",
    "measures": [
        {"measure": "normalised-match"},
        {"measure": "length", "unit": "words", "max": 40},
        {"measure": "contains", "all": ["Harrier"]},
        {"measure": "not-contains", "phrases": ["refund"]},
        {"measure": "one-of", "values": ["delay", "other"]},
    ],
}
WORDS = "the harrier is late at quay and nobody tells us why fog crew boat rope gate ramp".split()


def _sentence(dice: random.Random, n: int) -> str:
    return " ".join(dice.choice(WORDS) + str(dice.randrange(40)) for _ in range(n))


def measure() -> list[dict[str, Any]]:
    """Five cheap measures over 20,000 outputs; 20,000 cases compared; 100,000 rows read."""
    return [_scoring(), _near(), *_importing()]


def _scoring() -> dict[str, Any]:
    dice = random.Random(0)
    answers = [Answer(_sentence(dice, 20) + " Harrier.", "delay") for _ in range(20_000)]
    card = read_scorecard(CARD)
    began = time.perf_counter()
    for answer in answers:
        score_answer(card, answer, ANSWERED)
    ours = time.perf_counter() - began
    began = time.perf_counter()
    for answer in answers:
        answer.output.casefold().split()
    floor = time.perf_counter() - began
    return {
        "what": "outputs scored a second by five cheap measures, over splitting them into words",
        "ours": f"{len(answers) / ours:,.0f} /s",
        "floor": f"{len(answers) / floor:,.0f} /s",
        "ratio": ours / floor,
        "goal": "20,000 a second",
    }


def _near() -> dict[str, Any]:
    seconds = {}
    for size in (10_000, 20_000):
        dice = random.Random(0)
        texts = [_sentence(dice, 30) for _ in range(size)]
        for i in range(0, size, 20):
            texts[i + 1] = texts[i].replace("late1", "late2", 1)
        began = time.perf_counter()
        found = near_duplicates(texts)
        seconds[size] = time.perf_counter() - began
        assert len(found) >= size // 20
    return {
        "what": "near-copies among 20,000 cases, over 10,000",
        "ours": f"{seconds[20_000]:.1f} s",
        "floor": f"{seconds[10_000]:.1f} s",
        "ratio": seconds[20_000] / seconds[10_000],
        "goal": "under 60 s",
    }


def _importing() -> list[dict[str, Any]]:
    dice = random.Random(0)
    seconds = {}
    for size in (50_000, 100_000):
        data = "\n".join(
            ["message,reference", *(f'"{_sentence(dice, 12)}",delay' for _ in range(size))]
        )
        raw = data.encode()
        began = time.perf_counter()
        assert len(read_csv(raw).rows) == size
        seconds[size] = time.perf_counter() - began
    tracemalloc.start()
    read_csv(raw)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return [
        {
            "what": "100,000 rows read from CSV, over 50,000",
            "ours": f"{seconds[100_000]:.1f} s",
            "floor": f"{seconds[50_000]:.1f} s",
            "ratio": seconds[100_000] / seconds[50_000],
            "goal": "linear (2.0)",
        },
        {
            "what": "peak memory of reading them, over the file's size",
            "ours": f"{peak / 1e6:.0f} MB",
            "floor": f"{len(raw) / 1e6:.0f} MB",
            "ratio": peak / len(raw),
            "goal": "bounded by the batch (not reached: the table is held whole)",
        },
    ]
