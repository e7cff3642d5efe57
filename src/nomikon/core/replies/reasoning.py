"""Reasoning told apart from the answer: text between marks, wherever a server leaves it."""

from __future__ import annotations

import re
from dataclasses import dataclass

# Where a model's reasoning stands. auto: told by its marks; none: there is none, whatever the text
# looks like. (A field of its own needs no saying: it is read wherever a server sends one.)
AUTO, NONE = "auto", "none"
WHERE = (AUTO, NONE)

_NAMES = r"(?:think|thinking|thought|thoughts|reasoning|reflection|scratchpad|analysis)"
_OPENING = re.compile(rf"\s*(?:<({_NAMES})>|\[({_NAMES})\])", re.I)
# A closing mark alone: the template of some models writes the opening one into the prompt.
_CLOSING = re.compile(
    r"</(think|thinking|thought|reasoning)>|\[/(think|thinking|reasoning)\]", re.I
)


@dataclass(frozen=True)
class Parted:
    """An answer without its reasoning. open: the reasoning had no end, so there is no answer."""

    answer: str
    reasoning: str
    open: bool = False


def part_reasoning(text: str, where: str = AUTO) -> Parted:
    """Take the reasoning out of the beginning of an answer.

    Marks further down are part of the answer: a text about them is no reasoning. Several blocks
    one after the other are all taken.

    >>> part_reasoning('<think>hm</think>yes')
    Parted(answer='yes', reasoning='hm', open=False)
    """
    if where == NONE:
        return Parted(text, "")
    thoughts: list[str] = []
    rest = text
    while begun := _OPENING.match(rest):
        name = begun[1] or begun[2]
        end = re.search(rf"</{name}>|\[/{name}\]", rest[begun.end() :], re.I)
        if end is None:
            return Parted("", _joined([*thoughts, rest[begun.end() :]]), True)
        thoughts.append(rest[begun.end() : begun.end() + end.start()])
        rest = rest[begun.end() + end.end() :]
    if not thoughts and (end := _CLOSING.search(rest)):
        name = end[1] or end[2]
        before = rest[: end.start()]
        if not re.search(rf"[<\[]{name}[>\]]", before, re.I) and "`" not in before[-3:]:
            thoughts.append(before)
            rest = rest[end.end() :]
    if not thoughts:
        return Parted(text, "")
    return Parted(rest.lstrip(), _joined(thoughts))


def _joined(thoughts: list[str]) -> str:
    return "\n\n".join(t.strip() for t in thoughts if t.strip())
