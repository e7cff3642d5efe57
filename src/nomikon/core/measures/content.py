"""Content: phrases an output must contain, and phrases it must not."""

from __future__ import annotations

from typing import Any

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, Measure, Score, only_known
from nomikon.core.measures.declared import FLAG, TEXTS, Parameter
from nomikon.core.measures.parameters import given
from nomikon.core.plain_json import shown
from nomikon.core.texts.words import folded


class Contains(Measure):
    """1 when every phrase of `all`, and at least one of `any`, stands in the output."""

    linear = True
    name = "contains"
    description = "The output contains every phrase of one list, or one phrase of another."
    parameters = {
        "all": Parameter("phrases that must all stand in the output", TEXTS),
        "any": Parameter("phrases of which at least one must stand in it", TEXTS),
        "ignore_case": Parameter("true to let case differ (default false)", FLAG),
    }
    worked = ({"all": ["Saltwife"]}, "The Saltwife sails.", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.all = given(self, parameters, "all")
        self.any = given(self, parameters, "any")
        self.ignore_case = given(self, parameters, "ignore_case")
        if not self.all and not self.any:
            raise MeasureError("contains needs phrases in all or any", field="all")

    def score(self, answer: Answer) -> Score:
        missing = [p for p in self.all if not _holds(answer.output, p, self.ignore_case)]
        if missing:
            return Score(0.0, "missing: " + ", ".join(f"“{shown(p)}”" for p in missing))
        if self.any:
            found = [p for p in self.any if _holds(answer.output, p, self.ignore_case)]
            if not found:
                return Score(0.0, "none of: " + ", ".join(f"“{shown(p)}”" for p in self.any))
        return Score(1.0, "all that must be there is there")


class NotContains(Measure):
    """1 when none of the phrases stands in the output."""

    linear = True
    name = "not-contains"
    description = "The output contains none of the phrases."
    parameters = {
        "phrases": Parameter("phrases that must not stand in the output", TEXTS),
        "ignore_case": Parameter("true to let case differ (default false)", FLAG),
    }
    worked = ({"phrases": ["refund"]}, "You get a refund.", None, 0.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.phrases = given(self, parameters, "phrases")
        self.ignore_case = given(self, parameters, "ignore_case")
        if not self.phrases:
            raise MeasureError("not-contains needs at least one phrase", field="phrases")

    def score(self, answer: Answer) -> Score:
        found = [p for p in self.phrases if _holds(answer.output, p, self.ignore_case)]
        if found:
            return Score(0.0, "contains: " + ", ".join(f"“{shown(p)}”" for p in found))
        return Score(1.0, "nothing forbidden found")


def _holds(text: str, phrase: str, ignore_case: bool) -> bool:
    """Whether a phrase stands in a text, whatever quotes, dashes and blanks it is written with."""
    return folded(phrase, ignore_case) in folded(text, ignore_case)
