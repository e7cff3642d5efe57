"""Several answers to one question: which are the same, and what differs between the others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nomikon.core.prompts.alignment import WordChange, word_changes


@dataclass(frozen=True)
class Alternative:
    """A text that came once or several times.

    which: positions (from 0) of the answers that read so. words: what differs
    from the commonest text; empty for the commonest itself.
    """

    text: str
    which: list[int]
    words: list[WordChange]


def alternatives(texts: Sequence[str]) -> list[Alternative]:
    """The different texts, the commonest first, then in the order in which they came.

    Texts are the same when they are after blanks at both ends are taken off.
    """
    places: dict[str, list[int]] = {}
    for index, text in enumerate(texts):
        places.setdefault(text.strip(), []).append(index)
    ordered = sorted(places.items(), key=lambda item: (-len(item[1]), item[1][0]))
    if not ordered:
        return []
    commonest = ordered[0][0]
    return [
        Alternative(text, which, [] if text == commonest else word_changes(commonest, text))
        for text, which in ordered
    ]
