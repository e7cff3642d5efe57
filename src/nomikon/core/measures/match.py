"""Match with the reference: exact, or after taking out what does not matter."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache
from typing import Any

from nomikon.core.measures.base import NO_REFERENCE, Answer, Measure, Score, only_known
from nomikon.core.plain_json import shown


class ExactMatch(Measure):
    """1 when output and reference are the same character for character."""

    linear = True
    name = "exact-match"
    description = "The output is the reference, character for character."
    needs_reference = True
    worked = ({}, "yes", "yes", 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)

    def score(self, answer: Answer) -> Score:
        if answer.reference is None:
            return NO_REFERENCE
        if answer.output == answer.reference:
            return Score(1.0, "the same, character for character")
        if answer.output.strip() == answer.reference.strip():
            return Score(0.0, "the same but for blanks at its ends")
        return Score(0.0, f"“{shown(answer.output)}” is not “{shown(answer.reference)}”")


class NormalisedMatch(Measure):
    """1 when output and reference are the same but for case, blanks and outer punctuation."""

    linear = True
    name = "normalised-match"
    description = (
        "The output is the reference, letting case, runs of blanks, and quotes or punctuation "
        "at the ends differ."
    )
    needs_reference = True
    worked = ({}, " “Lost  item.” ", "lost item", 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)

    def score(self, answer: Answer) -> Score:
        if answer.reference is None:
            return NO_REFERENCE
        got, wanted = normalised(answer.output), normalised(answer.reference)
        if got == wanted:
            return Score(1.0, f"both read “{shown(wanted)}”")
        return Score(0.0, f"“{shown(got)}” is not “{shown(wanted)}”")


@lru_cache(maxsize=4096)
def normalised(text: str) -> str:
    """Compatibility form, case folded, blanks joined, outer punctuation and quotes dropped.

    Signs that say something stay: those of numbers (-5, .5, 5 %, 5 €) and the vowel signs and
    accents of every script, which are no punctuation.

    >>> normalised(' “Lost  Item.” '), normalised('−5 %.')
    ('lost item', '-5 %')
    """
    plain = text if text.isascii() else unicodedata.normalize("NFKC", text)
    joined = " ".join(plain.translate(_MINUS).casefold().split())
    first, last = 0, len(joined)
    while first < last and _outer(joined[first]) and not _NUMBER_BEGINS.match(joined, first):
        first += 1
    while last > first and _outer(joined[last - 1]) and not _meant(joined, last - 1):
        last -= 1
    return joined[first:last] or joined


_MINUS = str.maketrans({"−": "-", "\u200b": "", "\ufeff": ""})
_NUMBER_BEGINS = re.compile(r"[-+]?[.,]?\d")
_QUOTE_LIKE = "`´^"


def _outer(sign: str) -> bool:
    """Whether a sign is punctuation, a blank, a picture, or a mark that stands for a quote."""
    kind = unicodedata.category(sign)
    if kind == "Sm":
        return sign not in _SAYS_SOMETHING
    return sign in _QUOTE_LIKE or kind[0] in "PZC" or kind in ("So", "Sk")


_SAYS_SOMETHING = "+<>=±×÷≈~≤≥≠∞√"


def _meant(text: str, at: int) -> bool:
    """A percent or degree sign says something; so does a hash after a letter (c#)."""
    return text[at] in "%‰°" or (text[at] == "#" and at > 0 and text[at - 1].isalnum())
