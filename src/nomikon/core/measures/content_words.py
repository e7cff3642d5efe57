"""Content, counted: keywords, repetitions, the first person, questions."""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

from nomikon.core.measures.base import Answer, Measure, Score, only_known, shown
from nomikon.core.measures.declared import TEXTS, WHOLE, Parameter
from nomikon.core.measures.parameters import BOUNDS, Bounds, given

_WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)*")
_QUOTED = re.compile(r"“[^”]*”|\"[^\"\n]*\"|«[^»]*»")
_FIRST = re.compile(
    r"\b(?:I|I['’](?:m|ve|d|ll)|me|my|mine|myself|we|we['’](?:re|ve|d|ll)|us|our|ours)\b"
)


class Keywords(Measure):
    """Share of the keywords that occur as whole words, case left aside."""

    name = "keywords"
    description = "The share of the keywords that the output mentions."
    parameters = {
        "words": Parameter("the keywords; a phrase counts as a whole", TEXTS, needed=True)
    }
    worked = ({"words": ["vessel", "quay"]}, "The vessel is late.", None, 0.5)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.words = [
            (w, re.compile(rf"(?<!\w){re.escape(w)}(?!\w)", re.IGNORECASE))
            for w in given(self, parameters, "words")
        ]

    def score(self, answer: Answer) -> Score:
        missing = [w for w, found in self.words if not found.search(answer.output)]
        told = f"missing {shown(', '.join(missing))}" if missing else "all are there"
        return Score((len(self.words) - len(missing)) / len(self.words), told)


class Repetition(Measure):
    """1 when no word of some length comes more than `max` times."""

    name = "repetition"
    description = "No word comes more often than allowed."
    parameters = {
        "max": Parameter("how often a word may come (default 3)", WHOLE, default=3),
        "letters": Parameter(
            "words shorter than this are not counted (default 5)", WHOLE, default=5
        ),
    }
    worked = ({"max": 1}, "Sorry, sorry.", None, 0.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.most = given(self, parameters, "max")
        self.letters = given(self, parameters, "letters")

    def score(self, answer: Answer) -> Score:
        words = (w.casefold() for w in _WORD.findall(answer.output))
        counts = Counter(w for w in words if len(w) >= self.letters)
        over = [f"“{w}” {n} times" for w, n in counts.most_common(3) if n > self.most]
        return Score(float(not over), ", ".join(over) or "no word too often")


class NoFirstPerson(Measure):
    """1 when the output does not speak of I or we, quotations left aside (English)."""

    name = "no-first-person"
    description = "The output does not speak in the first person (English; quotations apart)."
    worked = ({}, "We are sorry.", None, 0.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)

    def score(self, answer: Answer) -> Score:
        found = _FIRST.findall(_QUOTED.sub(" ", answer.output))
        more = re.findall(r"(?<![\w’'])(?:We|My|Our|Us)\b", _QUOTED.sub(" ", answer.output))
        words = sorted({*found, *more})
        return Score(float(not words), f"says {', '.join(words)}" if words else "no first person")


class Questions(Measure):
    """1 when the number of questions lies within bounds."""

    name = "questions"
    description = "The number of questions the output asks."
    parameters = BOUNDS
    worked = ({"max": 1}, "Where did you lose it? When?", None, 0.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.bounds = Bounds(self.name, parameters)

    def score(self, answer: Answer) -> Score:
        count = len(re.findall(r"[?？؟]+", answer.output))
        return self.bounds.score(count, f"{count} question{'s' * (count != 1)}")
