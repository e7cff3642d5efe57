"""Settings to begin with for each kind of task, each with its reason in one line."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Preset:
    """Settings that suit a kind of task. reason: why, in one line."""

    name: str
    task: str
    settings: Mapping[str, Any]
    reason: str


PRESETS = (
    Preset(
        "Classify",
        "classify",
        {"temperature": 0.0, "top_k": 1},
        "one right label: always the likeliest piece, so that the same case gets the same answer",
    ),
    Preset(
        "Extract",
        "extract",
        {"temperature": 0.0, "top_k": 1},
        "what is there is copied, nothing is made up: always the likeliest piece",
    ),
    Preset(
        "Summarise",
        "summarise",
        {"temperature": 0.2},
        "close to the source, with a little room for wording",
    ),
    Preset(
        "Rewrite",
        "rewrite",
        {"temperature": 0.6, "top_p": 0.95},
        "other words for the same content: some variety, the unlikely tail cut off",
    ),
    Preset(
        "Write freely",
        "write",
        {"temperature": 0.9, "top_p": 0.95},
        "several good answers exist: variety is wanted, the unlikely tail cut off",
    ),
    Preset(
        "Converse",
        "converse",
        {"temperature": 0.7, "top_p": 0.95},
        "natural turns that do not repeat themselves word for word",
    ),
)


def preset_for(task: str) -> Preset | None:
    """The preset of a kind of task; None for `other`, which no settings fit in general."""
    return next((p for p in PRESETS if p.task == task), None)
