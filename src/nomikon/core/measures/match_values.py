"""Match in other ways: one of a list, a pattern, a number within a tolerance, a set of items."""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Any

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import NO_REFERENCE, Answer, Measure, Score, only_known
from nomikon.core.measures.declared import CHOICE, FLAG, NUMBER, TEXT, TEXTS, Parameter
from nomikon.core.measures.mishaps import unscored
from nomikon.core.measures.parameters import PATTERN_S, given, pattern
from nomikon.core.plain_json import shown
from nomikon.core.texts.normal import normalised
from nomikon.core.texts.numbers import COMMA, POINT, numbers_in, unsure_number

# Thousands of answers must not each wait for a pattern that explodes.
MOST_SLOW = 20


class OneOf(Measure):
    """1 when the output is one of the listed texts, as `normalised-match` compares them."""

    linear = True
    name = "one-of"
    description = "The whole output is one of the listed texts (case, blanks, outer marks apart)."
    parameters = {"values": Parameter("the texts that are allowed", TEXTS, needed=True)}
    worked = ({"values": ["delay", "lost item"]}, " “Lost item.” ", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.values = {normalised(v): v for v in given(self, parameters, "values")}

    def score(self, answer: Answer) -> Score:
        got = normalised(answer.output)
        if got in self.values:
            return Score(1.0, f"“{self.values[got]}” is on the list")
        return Score(0.0, f"“{shown(answer.output.strip())}” is not on the list")


class RegexMatch(Measure):
    """1 when a regular expression matches; one that takes too long gives no score."""

    name = "regex"
    description = "A regular expression is found in the output, or is the whole of it."
    parameters = {
        "pattern": Parameter("the regular expression", TEXT),
        "whole": Parameter("true when the whole output must match (default false)", FLAG),
        "ignore_case": Parameter("true to let case differ (default false)", FLAG),
        "absent": Parameter("true to score 1 when it is not found (default false)", FLAG),
    }
    worked = ({"pattern": r"\b\d{2}:\d{2}\b"}, "It sails at 16:05.", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.pattern = pattern(parameters, "pattern", given(self, parameters, "ignore_case"))
        self.whole = given(self, parameters, "whole")
        self.absent = given(self, parameters, "absent")
        self._slow = 0

    def score(self, answer: Answer) -> Score:
        if self._slow >= MOST_SLOW:
            return unscored(f"the pattern took too long for {MOST_SLOW} answers: not tried further")
        try:
            if self.whole:
                found = self.pattern.fullmatch(answer.output.strip(), timeout=PATTERN_S)
            else:
                found = self.pattern.search(answer.output, timeout=PATTERN_S)
        except TimeoutError:
            self._slow += 1
            return unscored(f"the pattern was given up on after {PATTERN_S:g} s")
        told = f"found “{shown(found.group())}”" if found else "not found"
        return Score(float((found is not None) != self.absent), told)


class NumberMatch(Measure):
    """1 when a number of the output equals the reference's within a tolerance."""

    name = "number"
    description = "A number in the output is the reference's, within a tolerance."
    needs_reference = True
    parameters = {
        "tolerance": Parameter("how far it may be off (default 0)", NUMBER, default=0),
        "relative": Parameter(
            "share of the reference's size it may be off (default 0)", NUMBER, default=0
        ),
        "take": Parameter(
            "which number of the output counts: first, last or only (default last)",
            CHOICE,
            ("last", "first", "only"),
        ),
        "decimal": Parameter(
            "the decimal mark: point (the default) or comma", CHOICE, ("point", "comma")
        ),
    }
    worked = ({"tolerance": 0.5}, "In all 1,200.4 tonnes", "1200", 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.tolerance = given(self, parameters, "tolerance")
        self.relative = given(self, parameters, "relative")
        self.take = given(self, parameters, "take")
        self.mark = COMMA if given(self, parameters, "decimal") == "comma" else POINT

    def score(self, answer: Answer) -> Score:
        if answer.reference is None:
            return NO_REFERENCE
        wanted = numbers_in(answer.reference, self.mark)
        if len(wanted) != 1:
            return Score(None, f"the reference holds {len(wanted)} numbers, not one")
        if unsure := unsure_number(answer.output, self.mark):
            return Score(None, f"{unsure}: which is the decimal mark? say so under decimal")
        got = numbers_in(answer.output, self.mark)
        if not got:
            return Score(0.0, "no number in the output")
        if self.take == "only" and len(got) > 1:
            return Score(0.0, f"{len(got)} numbers in the output, one wanted")
        value = got[0] if self.take == "first" else got[-1]
        # Decimals throughout: 0.3 is 0.2 off 0.1, not a hair more.
        off = abs(value - wanted[0])
        allowed = max(_decimal(self.tolerance), _decimal(self.relative) * abs(wanted[0]))
        told = f"{_plain(value)}"
        if off:
            told += f" is {_plain(off)} off {_plain(wanted[0])}"
        return Score(float(off <= allowed), told)


def _decimal(value: float) -> Decimal:
    """The decimal number a person wrote."""
    return Decimal(repr(value)) if isinstance(value, float) else Decimal(value)


def _plain(value: Decimal) -> str:
    return f"{value.normalize():f}" if abs(value.adjusted()) < 15 else f"{value:g}"


class SetOverlap(Measure):
    """F1 of the items of the output against those of the reference, their order left aside."""

    name = "set-overlap"
    description = "How far the items of the output and of the reference are the same set (F1)."
    needs_reference = True
    parameters = {
        "separator": Parameter("what parts items (default: commas, semicolons, line breaks)", TEXT)
    }
    worked = ({}, "- apples\n- pears", "pears, plums", 0.5)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        separator = parameters.get("separator")
        if separator is not None and (not isinstance(separator, str) or not separator):
            raise MeasureError("separator must be a text, not empty", field="separator")
        self.split = re.compile(re.escape(separator) if separator else r"[,;\n]")

    def score(self, answer: Answer) -> Score:
        if answer.reference is None:
            return NO_REFERENCE
        got, wanted = self._items(answer.output), self._items(answer.reference)
        if not got and not wanted:
            return Score(1.0, "both are empty")
        right = got & wanted
        value = 2 * len(right) / (len(got) + len(wanted))
        parts = [f"{len(right)} of {len(wanted)} found"]
        if missing := sorted(wanted - got):
            parts.append(f"missing {shown(', '.join(missing))}")
        if more := sorted(got - wanted):
            parts.append(f"besides {shown(', '.join(more))}")
        return Score(value, "; ".join(parts))

    def _items(self, text: str) -> set[str]:
        found = (re.sub(r"^\s*(?:[-*•]|\d+[.)])\s+", "", part) for part in self.split.split(text))
        return {n for part in found if (n := normalised(part))}
