"""Match with the reference: exact, or after taking out what does not matter."""

from __future__ import annotations

import unicodedata
from functools import lru_cache
from typing import Any

from nomikon.core.measures.base import NO_REFERENCE, Answer, Measure, Score, only_known, shown


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
    """Compatibility form, case folded, blanks joined, outer punctuation dropped.

    >>> normalised(' “Lost  Item.” ')
    'lost item'
    """
    plain = text if text.isascii() else unicodedata.normalize("NFKC", text)
    joined = " ".join(plain.casefold().split())
    first, last = 0, len(joined)
    while first < last and not joined[first].isalnum():
        first += 1
    while last > first and not joined[last - 1].isalnum():
        last -= 1
    return joined[first:last] or joined
