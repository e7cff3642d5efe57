"""Safety of use and its price: answered at all, nothing leaked, cost and latency."""

from __future__ import annotations

from typing import Any

from nomikon.core.measures.base import Answer, Measure, Score, only_known
from nomikon.core.measures.declared import NUMBER, WHOLE, Parameter
from nomikon.core.measures.parameters import given
from nomikon.core.plain_json import shown
from nomikon.core.texts.words import folded, words_in

NANO = 1_000_000_000


class Answered(Measure):
    """1 for every answer that is one: cut, declined and empty answers score 0 by every measure."""

    linear = True
    name = "answered"
    description = "The output is an answer: not cut, declined or empty."
    worked = ({}, "Yes.", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)

    def score(self, answer: Answer) -> Score:
        return Score(1.0, "answered")


class NoLeak(Measure):
    """1 when no long run of words of the prompt's own instructions stands in the output."""

    name = "no-leak"
    description = "The instructions of the prompt are not repeated in the answer."
    parameters = {
        "words": Parameter(
            "how many words in a row count as a leak (default 8)", WHOLE, default=8, low=3
        )
    }
    worked = ({}, "Yes.", None, None)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.run = given(self, parameters, "words")

    def score(self, answer: Answer) -> Score:
        if answer.prompt is None:
            return Score(None, "the prompt is not known here")
        output, prompt = _words(answer.output), _words(answer.prompt)
        known = {tuple(prompt[i : i + self.run]) for i in range(len(prompt) - self.run + 1)}
        for i in range(len(output) - self.run + 1):
            if tuple(output[i : i + self.run]) in known:
                return Score(0.0, f"repeats “{shown(' '.join(output[i : i + self.run]))}…”")
        return Score(1.0, "nothing of the instructions is repeated")


def _words(text: str) -> list[str]:
    return words_in(folded(text, ignore_case=True))


class Cost(Measure):
    """1 when the answer cost at most `max`, in the installation's currency."""

    linear = True
    name = "cost"
    description = "What the answer cost."
    parameters = {"max": Parameter("most it may cost, in the one currency", NUMBER, needed=True)}
    worked = ({"max": 0.01}, "Yes.", None, None)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.most = given(self, parameters, "max")

    def score(self, answer: Answer) -> Score:
        if answer.cost is None:
            return Score(None, "the price is not known")
        paid = answer.cost / NANO
        return Score(
            float(paid <= self.most), f"{_figure(paid)}, at most {_figure(self.most)} allowed"
        )


class Latency(Measure):
    """1 when the whole answer was there within `max_ms` milliseconds."""

    linear = True
    name = "latency"
    description = "How long the answer took, from sending to the last piece."
    parameters = {"max_ms": Parameter("most milliseconds it may take", NUMBER, needed=True)}
    worked = ({"max_ms": 1000}, "Yes.", None, None)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.most = given(self, parameters, "max_ms")

    def score(self, answer: Answer) -> Score:
        if answer.latency_ms is None:
            return Score(None, "how long it took is not known")
        ok = answer.latency_ms <= self.most
        told = _apart(answer.latency_ms, self.most)
        return Score(float(ok), f"{told} ms, at most {_figure(self.most)} allowed")


def _figure(value: float) -> str:
    """A number as it is, without a power of ten and without noise."""
    return f"{value:.12f}".rstrip("0").rstrip(".") if value else "0"


def _apart(value: float, limit: float) -> str:
    """A time in whole units, or in as many digits as show on which side of its limit it lies."""
    digits = 0
    while digits < 6 and (round(value, digits) <= limit) != (value <= limit):
        digits += 1
    return f"{value:.{digits}f}"
