"""Match with the reference: exact, or after taking out what does not matter."""

from __future__ import annotations

from typing import Any

from nomikon.core.measures.base import NO_REFERENCE, Answer, Measure, Score, only_known
from nomikon.core.plain_json import shown
from nomikon.core.texts.normal import normalised


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
