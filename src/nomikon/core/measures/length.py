"""Length within limits, in characters, words, sentences or lines."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import regex

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, Measure, Score, only_known
from nomikon.core.measures.declared import CHOICE, WHOLE, Parameter
from nomikon.core.measures.parameters import given
from nomikon.core.texts.words import count_runs, newlines, sentences_in
from nomikon.core.trials.estimates import estimate_tokens


def count_characters(text: str) -> int:
    """Code points, blanks at the ends not counted.

    >>> count_characters(' née ')
    3
    """
    return len(text.strip())


def count_words(text: str) -> int:
    """Runs of anything but blanks; in scripts that part no words every character counts.

    >>> count_words('one two  three')
    3
    """
    return count_runs(text)


def count_sentences(text: str) -> int:
    """Sentences; a list item or heading is one, too.

    >>> count_sentences('Late. Very late')
    2
    """
    return len(sentences_in(text))


def count_lines(text: str) -> int:
    """Lines that hold something.

    >>> count_lines('a\\n\\nb')
    2
    """
    return sum(1 for line in newlines(text).split("\n") if line.strip())


def count_paragraphs(text: str) -> int:
    """Blocks of lines between empty lines.

    >>> count_paragraphs('a\\nb\\n\\nc')
    2
    """
    return sum(1 for block in re.split(r"\n[ \t]*\n", newlines(text)) if block.strip())


UNITS: dict[str, Callable[[str], int]] = {
    "characters": count_characters,
    "words": count_words,
    "sentences": count_sentences,
    "lines": count_lines,
    "paragraphs": count_paragraphs,
    # As a model counts them, roughly.
    "tokens": estimate_tokens,
}


class Length(Measure):
    """1 when the output's length lies within the limits, both ends included."""

    linear = True
    name = "length"
    description = "The length of the output lies within limits."
    parameters = {
        "unit": Parameter(
            "characters (the default), words, sentences, lines, paragraphs or tokens (estimated)",
            CHOICE,
            tuple(UNITS),
        ),
        "min": Parameter("least length (optional)", WHOLE),
        "max": Parameter("greatest length (optional)", WHOLE),
    }
    worked = ({"unit": "words", "max": 3}, "one two three", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        # The first of the choice stands where none is given, as in every measure.
        self.unit = given(self, parameters, "unit")
        self.low = given(self, parameters, "min")
        self.high = given(self, parameters, "max")
        if self.low is None and self.high is None:
            raise MeasureError("length needs min, max or both", field="max")
        if self.low is not None and self.high is not None and self.low > self.high:
            raise MeasureError(f"min ({self.low}) is above max ({self.high})", field="min")

    def score(self, answer: Answer) -> Score:
        n = UNITS[self.unit](answer.output)
        unit = self.unit if n != 1 else self.unit[:-1]
        if self.low is not None and n < self.low:
            return Score(0.0, f"{n} {unit}, at least {self.low} wanted")
        if self.high is not None and n > self.high:
            return Score(0.0, f"{n} {unit}, at most {self.high} allowed")
        return Score(1.0, f"{n} {unit}")


_BULLET = regex.compile(
    r"^[ \t]*(?:[-*+•·–—▪◦‣]|\(?\d{1,3}[.)]|[a-z][.)])[ \t]+(?P<said>\S[^\n]*)", regex.MULTILINE
)


def _bullets(text: str) -> list[str]:
    return [m["said"] for m in _BULLET.finditer(newlines(text))]


# The parts of an answer that each have a length of their own.
PARTS: dict[str, Callable[[str], list[str]]] = {
    "bullets": _bullets,
    "lines": lambda text: [x for x in newlines(text).split("\n") if x.strip()],
    "sentences": lambda text: list(sentences_in(text)),
    "paragraphs": lambda text: [x for x in re.split(r"\n[ \t]*\n", newlines(text)) if x.strip()],
}


class EachLength(Measure):
    """The share of an answer's bullets, lines, sentences or paragraphs whose length lies within limits."""

    name = "each-length"
    description = "Every bullet, line, sentence or paragraph is within limits; the share that is."
    parameters = {
        "each": Parameter(
            "bullets (the default; list items of any kind), lines, sentences or paragraphs",
            CHOICE,
            tuple(PARTS),
        ),
        "unit": Parameter(
            "characters (the default), words, sentences or tokens (estimated)",
            CHOICE,
            ("characters", "words", "sentences", "tokens"),
        ),
        "min": Parameter("least length of each (optional)", WHOLE),
        "max": Parameter("greatest length of each (optional)", WHOLE),
    }
    worked = ({"unit": "words", "max": 2}, "- one two\n- one two three", None, 0.5)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.each = given(self, parameters, "each")
        self.unit = given(self, parameters, "unit")
        own = {k: v for k, v in parameters.items() if k in ("min", "max")}
        self.inner = Length(unit=self.unit, **own)

    def score(self, answer: Answer) -> Score:
        parts = PARTS[self.each](answer.output)
        if not parts:
            return Score(0.0, f"there are no {self.each}")
        found = [self.inner.score(Answer(part)) for part in parts]
        wrong = [(i, s) for i, s in enumerate(found, 1) if not s.value]
        share = 1 - len(wrong) / len(parts)
        if not wrong:
            return Score(1.0, f"each of {len(parts)} {self.each} is within the limits")
        first, why = wrong[0]
        return Score(share, f"{len(wrong)} of {len(parts)} {self.each}; number {first}: {why.why}")
