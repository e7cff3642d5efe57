"""The scores of one output as they are stored: JSON, {measure: [value or null, why, code?]}."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from functools import lru_cache
from json.encoder import encode_basestring_ascii
from typing import Any

from nomikon.core.measures import Score
from nomikon.core.measures.base import NO_ANSWER, NOT_ASKED, UNREADABLE
from nomikon.core.trials import ANSWERED, OUTCOMES


@lru_cache(maxsize=4096)
def _name(name: str) -> str:
    return json.dumps(name)


def packed_text(scores: Iterable[tuple[str, Score]]) -> str:
    """What `json.dumps` would give, at a third of its time: it is written for every output.

    scores: by measure; values are finite, checked where they were made.
    """
    return "{" + ", ".join(f"{_name(name)}: {_row(score)}" for name, score in scores) + "}"


def _row(score: Score) -> str:
    value = "null" if score.value is None else repr(float(score.value))
    code = f', "{score.code}"' if score.code else ""
    return f"[{value}, {encode_basestring_ascii(score.why)}{code}]"


def packed_score(score: Score) -> list[Any]:
    """The same as plain data."""
    return [score.value, score.why, *([score.code] if score.code else [])]


def score_in(row: Sequence[Any]) -> Score:
    """A stored score. Rows that were written before there were codes are known by their words."""
    value, why, *code = row
    return Score(value, why, code[0] if code else _former_code(value, why))


_FORMER_ZEROS = tuple(f"{kind}: " for kind in OUTCOMES if kind != ANSWERED)


def _former_code(value: float | None, why: str) -> str:
    if value is None and why.startswith("judgement failed"):
        return UNREADABLE
    if value is None and why.endswith("was not asked"):
        return NOT_ASKED
    return NO_ANSWER if value == 0 and why.startswith(_FORMER_ZEROS) else ""
