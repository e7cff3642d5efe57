"""Where an answer begins: the whole text, its first JSON, its first fenced block, or after a mark."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from nomikon.core.errors import ScorecardError
from nomikon.core.texts.words import first_fence

WHOLE, FIRST_JSON, FIRST_FENCE, AFTER = "whole", "json", "fence", "mark"
BEGINNINGS = (WHOLE, FIRST_JSON, FIRST_FENCE, AFTER)
# So many brackets are tried; a text with more of them that begin nothing holds no JSON.
MOST_TRIES = 200
_BRACKET = re.compile(r"[{\[]")


@dataclass(frozen=True)
class Beginning:
    """begins: one of BEGINNINGS. mark: the text after which the answer begins, with mark."""

    begins: str = WHOLE
    mark: str = ""

    def part_of(self, text: str) -> str | None:
        """The part of a text that is the answer; None where it has none."""
        if self.begins == WHOLE:
            return text
        if self.begins == AFTER:
            _, found, rest = text.partition(self.mark)
            return rest.strip() if found else None
        if self.begins == FIRST_FENCE:
            return first_fence(text)
        return _first_json(text)

    @property
    def told(self) -> str:
        """Where it was read from, for a why."""
        return {
            WHOLE: "",
            FIRST_JSON: "in its first JSON",
            FIRST_FENCE: "in its first fenced block",
            AFTER: f"after “{self.mark}”",
        }[self.begins]

    @property
    def absent(self) -> str:
        """What is said of a text that has no such part."""
        return {
            WHOLE: "",
            FIRST_JSON: "there is no JSON in it",
            FIRST_FENCE: "there is no fenced block in it",
            AFTER: f"“{self.mark}” does not stand in it",
        }[self.begins]


THE_WHOLE = Beginning()


def _first_json(text: str) -> str | None:
    decoder = json.JSONDecoder()
    for tries, found in enumerate(_BRACKET.finditer(text)):
        if tries >= MOST_TRIES:
            break
        try:
            _, end = decoder.raw_decode(text, found.start())
        except (ValueError, RecursionError):
            continue
        return text[found.start() : end]
    return None


def read_beginning(told: Any) -> Beginning:
    """From a scorecard's `answer`: a name of BEGINNINGS, or {begins, mark}. Raises ScorecardError."""
    if told is None:
        return THE_WHOLE
    if isinstance(told, str):
        told = {"begins": told}
    if not isinstance(told, Mapping) or set(told) - {"begins", "mark"}:
        raise ScorecardError(
            "answer says where an answer begins: begins, and with `begins: mark` the mark",
            field="answer",
        )
    begins, mark = told.get("begins", WHOLE), told.get("mark", "")
    if begins not in BEGINNINGS:
        raise ScorecardError(
            f"begins is {begins!r}; allowed are {', '.join(BEGINNINGS)}", field="answer.begins"
        )
    if not isinstance(mark, str) or (begins == AFTER and not mark.strip()):
        raise ScorecardError(
            "say the mark: the text after which the answer begins", field="answer.mark"
        )
    if mark and begins != AFTER:
        raise ScorecardError(
            f"a mark goes with begins: {AFTER}; this says {begins}", field="answer.mark"
        )
    return Beginning(str(begins), mark)
