"""Lines that earned their place in one prompt: which of them fit another."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.tenor import Tenor, read_tenor

# Two lines that share so much of their words (Dice) say the same.
SAME_LINE = 0.75
# A line without a part that is read fits only where it shares this much of its words with the job.
ABOUT_IT = 0.2
_WORD = re.compile(r"[^\W\d_]{3,}", re.UNICODE)
_PARTS = ("role", "audience", "tone", "answer_languages", "limits", "rules", "prose")


@dataclass(frozen=True)
class Line:
    """A line as far as its fit is told by it. task: the kind of task it earned its place in. weight: what it
    adds to the mean score there."""

    text: str
    task: str
    weight: float


def likeness(a: str, b: str) -> float:
    """The share of words two lines have in common (Dice), 0 to 1.

    >>> likeness('Use null where none is named.', 'use NULL where none is named')
    1.0
    """
    one, other = _words(a), _words(b)
    return 2 * len(one & other) / (len(one) + len(other)) if one and other else float(a == b)


def parts_of(tenor: Tenor) -> frozenset[str]:
    """Which parts of a prompt's tenor say something: limits, rules, tone, form …"""
    found = {name for name in _PARTS if getattr(tenor, name)}
    if tenor.output.form:
        found.add("form")
    if tenor.output.keys:
        found.add("keys")
    return frozenset(found)


def fitting(
    lines: Sequence[Line], task: str, job: str, messages: Sequence[Message], most: int = 5
) -> list[int]:
    """Places of the lines that fit a prompt, the best first: of its kind of task, then those that say what
    its text does not say yet, then by the words they share with its job, then by weight.

    messages: the text so far, none for a first version. A line that it says already fits no more, nor
    does one that says nothing of a prompt's parts and shares no words with the job.
    """
    here = parts_of(read_tenor(messages)) if messages else frozenset()
    said = [line for m in messages for line in m.content.splitlines() if line.strip()]
    about = _words(job)
    ranked: list[tuple[bool, int, float, float, int]] = []
    for place, line in enumerate(lines):
        if any(likeness(line.text, s) >= SAME_LINE for s in said):
            continue
        own = parts_of(read_tenor([Message("system", line.text)]))
        words = _words(line.text)
        shared = len(words & about) / len(words) if words else 0.0
        if not own and shared < ABOUT_IT:
            continue
        ranked.append((line.task == task, len(own - here), shared, line.weight, place))
    ranked.sort(key=lambda r: (not r[0], -r[1], -r[2], -r[3], r[4]))
    return [r[4] for r in ranked[:most]]


def _words(text: str) -> set[str]:
    return {m.group().casefold() for m in _WORD.finditer(text)}
