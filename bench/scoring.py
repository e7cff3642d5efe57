"""Scoring, near-copies and import at size."""

from __future__ import annotations

import os
import random
import time
import tracemalloc
from pathlib import Path
from typing import Any, BinaryIO

from nomikon.core.cases import open_csv
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


def sentence(dice: random.Random, n: int) -> str:
    return " ".join(dice.choice(WORDS) + str(dice.randrange(40)) for _ in range(n))


def measure() -> list[dict[str, Any]]:
    """Five cheap measures over 20,000 outputs; 20,000 cases compared; 100,000 rows imported."""
    return [_scoring(), _near(), *_importing()]


def _scoring() -> dict[str, Any]:
    dice = random.Random(0)
    answers = [Answer(sentence(dice, 20) + " Harrier.", "delay") for _ in range(20_000)]
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
        texts = [sentence(dice, 30) for _ in range(size)]
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
    """A file of rows taken into a dataset by batches; memory is told by what Python allocates."""
    seconds, peaks = {}, {}
    for size in (50_000, 100_000):
        path = _file_of(size)
        with path.open("rb") as file:
            began = time.perf_counter()
            _import(file, size)
            seconds[size] = time.perf_counter() - began
            file.seek(0)
            tracemalloc.start()
            rows = sum(1 for _ in open_csv(file).records())
            peaks[size] = tracemalloc.get_traced_memory()[1]
            tracemalloc.stop()
            assert rows == size
    return [
        {
            "what": "100,000 cases imported and listed, over 50,000",
            "ours": f"{seconds[100_000]:.1f} s",
            "floor": f"{seconds[50_000]:.1f} s",
            "ratio": seconds[100_000] / seconds[50_000],
            "goal": "linear (2.0)",
        },
        {
            "what": "peak memory of reading 100,000 rows, over 50,000",
            "ours": f"{peaks[100_000] / 1e6:.2f} MB",
            "floor": f"{peaks[50_000] / 1e6:.2f} MB",
            "ratio": peaks[100_000] / peaks[50_000],
            "goal": "bounded by the batch (1.0)",
        },
    ]


def _file_of(size: int) -> Path:
    dice = random.Random(0)
    path = Path(os.environ["NOMIKON_DATA_DIR"]) / f"rows-{size}.csv"
    with path.open("w", encoding="utf-8") as file:
        file.write("message,reference\n")
        file.writelines(f'"{sentence(dice, 12)}",delay\n' for _ in range(size))
    return path


def _import(file: BinaryIO, size: int) -> None:
    from django.utils import timezone

    from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
    from nomikon.server.apps.datasets.actions.create_dataset import CreateDataset
    from nomikon.server.apps.datasets.actions.import_cases import ImportCases

    who = {"actor": "bench", "now": timezone.now()}
    brief = CreateBrief(f"Import {size}", "", "other", **who).execute()
    dataset = CreateDataset(brief, "Rows", **who).execute()
    uses = {"reference": {"as": "reference"}}
    done = ImportCases(dataset, open_csv(file), uses, "working", **who).execute()
    assert done.added == size
