"""Faithfulness: numbers, dates, names and quotations of the output that the input does not hold."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, Measure, Score, only_known, shown
from nomikon.core.measures.declared import TEXTS, Parameter
from nomikon.core.measures.parameters import given

_NUMBER = re.compile(r"\d+(?:[.,:]\d+)*")
_MONTHS = "jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec"
_DATE = re.compile(
    rf"\b\d{{4}}-\d{{2}}-\d{{2}}\b|\b\d{{1,2}}[./]\d{{1,2}}[./]\d{{2,4}}\b|"
    rf"\b\d{{1,2}}(?:st|nd|rd|th)? (?:{_MONTHS})[a-z]*\b|\b(?:{_MONTHS})[a-z]* \d{{1,2}}\b",
    re.IGNORECASE,
)
_QUOTE = re.compile(r"“([^”]{3,})”|\"([^\"\n]{3,})\"|«([^»]{3,})»")
# A capitalised word that no sentence begins with, and what follows it directly.
_NAME = re.compile(r"(?<![.!?:\n•*-] )(?<!^)(?<![\n“\"(])\b[A-Z][a-zà-ÿ]+(?:[ -][A-Z][a-zà-ÿ]+)*")
_COMMON = {
    "i", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday", "january",
    "february", "march", "april", "may", "june", "july", "august", "september", "october",
    "november", "december", "sir", "madam", "dear", "kind", "regards",
}  # fmt: skip


def _numbers(text: str) -> list[str]:
    return [n.rstrip(".,:") for n in _NUMBER.findall(text)]


def _dates(text: str) -> list[str]:
    return [m.group() for m in _DATE.finditer(text)]


def _names(text: str) -> list[str]:
    return [n for n in _NAME.findall(text) if n.lower() not in _COMMON]


def _quotes(text: str) -> list[str]:
    return [next(g for g in m.groups() if g) for m in _QUOTE.finditer(text)]


_KINDS: dict[str, Callable[[str], list[str]]] = {
    "numbers": _numbers,
    "dates": _dates,
    "names": _names,
    "quotes": _quotes,
}


class Faithful(Measure):
    """Share of the output's facts of the chosen kinds that stand in the inputs; 1 with none.

    Facts are told by their form alone: numbers, dates, capitalised names inside
    sentences, and quoted strings. `allow` lists what may be said besides.
    """

    name = "faithful"
    description = "Numbers, dates, names and quotations of the output that stand in the inputs."
    parameters = {
        "kinds": Parameter(
            "which of numbers, dates, names, quotes to look at (default all)", TEXTS
        ),
        "allow": Parameter("facts that may be said though no input has them (optional)", TEXTS),
    }
    worked = (
        {"kinds": ["numbers"], "allow": ["112"]},
        "At 16:05 from pier 4, call 112.",
        None,
        0.0 + 1 / 3,
    )

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.kinds = given(self, parameters, "kinds") or list(_KINDS)
        unknown = [k for k in self.kinds if k not in _KINDS]
        if unknown:
            raise MeasureError(
                f"unknown kind {unknown[0]!r}; known are {', '.join(_KINDS)}", field="kinds"
            )
        self.allow = {a.casefold() for a in given(self, parameters, "allow")}

    def score(self, answer: Answer) -> Score:
        source = "\n".join(str(v) for v in answer.inputs.values() if v is not None).casefold()
        known_numbers = set(_numbers(source))
        said: dict[str, bool] = {}
        for kind in self.kinds:
            for fact in _KINDS[kind](answer.output):
                folded = fact.casefold()
                there = folded in known_numbers if kind == "numbers" else folded in source
                said[fact] = there or folded in self.allow
        if not said:
            return Score(1.0, "nothing of these kinds is said")
        wrong = [fact for fact, there in said.items() if not there]
        if not wrong:
            return Score(1.0, f"all {len(said)} stand in the inputs")
        told = f"not in the inputs: {shown(', '.join(wrong), 120)}"
        return Score((len(said) - len(wrong)) / len(said), told)
