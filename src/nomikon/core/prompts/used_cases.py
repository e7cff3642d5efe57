"""Which cases a prompt shows as worked examples: a model has seen their answer, so they prove nothing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.rendering import render

# A text as long as this stands in a prompt by intent and not by chance.
TELLING = 20


def used_cases(messages: Sequence[Message], cases: Mapping[str, Mapping[str, Any]]) -> set[str]:
    """Keys of the cases whose longest input stands in the prompt.

    cases: by key their inputs. Blanks and capitals do not count. An input of at least
    20 characters may stand anywhere in the text; a shorter one must be all of a
    worked-example turn, its end after a colon or a line break, or make the prompt's own
    message read as that turn.
    """
    whole = _plain("\n".join(m.content for m in messages))
    turns = [
        m.content.strip().casefold()
        for m, own in zip(messages, _examples(messages), strict=True)
        if own and m.role == "user"
    ]
    asked = [
        m
        for m, own in zip(messages, _examples(messages), strict=True)
        if not own and m.role == "user"
    ]
    found = set()
    for key, inputs in cases.items():
        longest = max((_text(v) for v in inputs.values()), key=len, default="")
        plain = _plain(longest)
        if len(plain) >= TELLING:
            if plain in whole:
                found.add(key)
        elif plain:
            near = [t for t in turns if longest.strip().casefold() in t]
            if near and (
                any(_ends_with(t, longest.strip().casefold()) for t in near)
                or _reads_as(asked, inputs, near)
            ):
                found.add(key)
    return found


def _examples(messages: Sequence[Message]) -> list[bool]:
    shown = {c.message for c in clauses_of(messages) if c.kind == "example"}
    return [i in shown for i in range(len(messages))]


def _text(value: Any) -> str:
    return value if isinstance(value, str) else ""


def _plain(text: str) -> str:
    return " ".join(text.split()).casefold()


def _reads_as(asked: Sequence[Message], inputs: Mapping[str, Any], turns: Sequence[str]) -> bool:
    """Whether a message of the prompt, filled from the case, is one of the turns."""
    filled = render(asked, inputs).messages if asked else ()
    return any(m.content.strip().casefold() in turns for m in filled)


def _ends_with(turn: str, value: str) -> bool:
    if not turn.endswith(value):
        return False
    before = turn[: len(turn) - len(value)].rstrip(" \t")
    return before == "" or before[-1] in ":\n"
