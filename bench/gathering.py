"""Gathering faults from many remarks."""

from __future__ import annotations

import random
import time
from typing import Any

from nomikon.core.prompts.evidence import Remark, gather_faults

REMARKS = 5_000
TOPICS = [
    "the vessel is missing from the answer",
    "the time is not the one of the message",
    "much too long for the front desk",
    "the tone is cold and blames the passenger",
    "a label that is not on the list",
    "it promises money that nobody may promise",
    "two matters and only one of them is answered",
    "the language is not the one of the letter",
]
FILLING = "harrier saltwife quay gate rope deck crew fog coat ticket dog soup seat ramp bus".split()


def measure() -> list[dict[str, Any]]:
    """5,000 remarks of readers and measures; the floor is cutting them into words."""
    dice = random.Random(0)
    remarks = []
    for i in range(REMARKS):
        words = [dice.choice(TOPICS), *(dice.choice(FILLING) for _ in range(dice.randrange(6)))]
        source = "measure" if i % 3 else "mark"
        label = dice.choice(["fields", "valid JSON", "length"]) if i % 3 else ""
        remarks.append(Remark(source, " ".join(words), i, i % 700, label))
    began = time.perf_counter()
    found = gather_faults(remarks)
    ours = time.perf_counter() - began
    assert found
    began = time.perf_counter()
    for remark in remarks:
        remark.text.casefold().split()
    floor = time.perf_counter() - began
    return [
        {
            "what": f"{REMARKS:,} remarks gathered into faults, over cutting them into words",
            "ours": f"{ours:.2f} s",
            "floor": f"{floor:.3f} s",
            "ratio": ours / floor,
            "goal": "under 3 s",
        }
    ]
