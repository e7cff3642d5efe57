"""Length within limits, in characters, words, sentences or lines."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, Measure, Score, only_known
from nomikon.core.measures.declared import CHOICE, WHOLE, Parameter
from nomikon.core.measures.parameters import given
from nomikon.core.measures.texts import count_runs, newlines, sentences_in
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
