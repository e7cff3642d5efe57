"""Faithfulness: numbers, times, dates, names and quotations that the input does not hold."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any

import regex

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, Measure, Score, only_known
from nomikon.core.measures.declared import TEXTS, Parameter
from nomikon.core.measures.parameters import given
from nomikon.core.plain_json import shown
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.texts.facts import (
    dates_in,
    names_in,
    numbers_said,
    plain_words,
    quotes_in,
    same_date,
    same_time,
    times_in,
)
from nomikon.core.texts.language import language_of
from nomikon.core.texts.words import folded

KINDS = ("numbers", "times", "dates", "names", "quotes")


class Faithful(Measure):
    """Share of the output's facts of the chosen kinds that stand in the inputs; 1 with none.

    Facts are told by their form alone: numbers in digits and words, times, dates, names by their
    capitals, and quoted strings, each compared by what it says and not by how it is written.
    `allow` lists what may be said besides. What form cannot tell is left to `faithful-judge`.
    """

    name = "faithful"
    description = (
        "Numbers (in words, too), times, dates, names and quotations of the output that stand in "
        "the inputs, however they are written there."
    )
    parameters = {
        "kinds": Parameter(
            "which of numbers, times, dates, names, quotes to look at (default all)", TEXTS
        ),
        "allow": Parameter("facts that may be said though no input has them (optional)", TEXTS),
    }
    worked = (
        {"kinds": ["numbers", "times"], "allow": ["112"]},
        "At 16:05 from pier nine, call 112.",
        None,
        0.0 + 1 / 3,
    )

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.kinds = kinds_of(self, parameters)
        self.allow = "\n".join(given(self, parameters, "allow"))

    def score(self, answer: Answer) -> Score:
        said = facts_of(answer, self.kinds, self.allow)
        if not said:
            return Score(1.0, "nothing of these kinds is said")
        wrong = [fact for fact, there in said.items() if not there]
        if not wrong:
            return Score(1.0, f"all {len(said)} stand in the inputs")
        told = f"not in the inputs: {shown(', '.join(wrong), 120)}"
        return Score((len(said) - len(wrong)) / len(said), told)


def kinds_of(measure: Measure, parameters: Mapping[str, Any]) -> list[str]:
    """The kinds of facts asked for, all where none are named. Raises MeasureError."""
    kinds = given(measure, parameters, "kinds") or list(KINDS)
    unknown = [k for k in kinds if k not in KINDS]
    if unknown:
        raise MeasureError(
            f"unknown kind {unknown[0]!r}; known are {', '.join(KINDS)}", field="kinds"
        )
    return list(kinds)


def source_of(answer: Answer, allow: str) -> str:
    """What may be said: the inputs, and what is allowed besides."""
    inputs = [value_as_text(v) for v in answer.inputs.values() if v is not None]
    return "\n".join([*inputs, allow])


def facts_of(answer: Answer, kinds: Sequence[str], allow: str) -> dict[str, bool]:
    """Facts as the output says them, and whether they stand in the inputs, told by form alone."""
    return dict(_facts(answer.output, source_of(answer, allow), tuple(kinds)))


@lru_cache(maxsize=64)
def _facts(output: str, source: str, kinds: tuple[str, ...]) -> tuple[tuple[str, bool], ...]:
    """Told once, however often a judge's questions, replies and score ask for it."""
    said: dict[str, bool] = {}
    for kind in kinds:
        said |= _of_kind(kind, output, source)
    return tuple(said.items())


def holds_words(name: str, source: str) -> bool:
    """Whether every word of a name stands in a source brought to `plain_words`."""
    return all(
        regex.search(rf"(?<!\w){regex.escape(plain_words(word))}", source) for word in name.split()
    )


def _of_kind(kind: str, output: str, source: str) -> dict[str, bool]:
    """Facts of a kind as the output says them, and whether the inputs hold them."""
    if kind == "numbers":
        # A time said as a number of hours, a date's day: what the inputs hold in any form.
        known = {*numbers_said(source), *_bare(source)}
        return {said: value in known for value, said in numbers_said(output).items()}
    if kind == "times":
        times = times_in(source)
        return {said: same_time(t, times) for t, said in times_in(output).items()}
    if kind == "dates":
        dates = dates_in(source)
        return {said: same_date(d, dates) for d, said in dates_in(output).items()}
    if kind == "quotes":
        folded_source = folded(source, ignore_case=True)
        return {said: q in folded_source for q, said in quotes_in(output).items()}
    words = plain_words(source)
    names = names_in(output, language_of(output))
    return {said: holds_words(name, words) for name, said in names.items()}


def _bare(text: str) -> set[str]:
    """Every run of digits, whatever it stands in."""
    return {str(int(d)) for d in regex.findall(r"\d{1,18}", text)}
