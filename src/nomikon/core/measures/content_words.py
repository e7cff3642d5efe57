"""Content, counted: keywords, repetitions, the first person, questions."""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

import regex

from nomikon.core.measures.base import Answer, Measure, Score, only_known
from nomikon.core.measures.declared import TEXTS, WHOLE, Parameter
from nomikon.core.measures.parameters import BOUNDS, Bounds, given
from nomikon.core.plain_json import shown
from nomikon.core.texts.words import ADDRESS, folded, stands_alone, without_code

_WORD = regex.compile(r"[\p{L}\p{M}]+(?:'[\p{L}\p{M}]+)*")
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
            (w, _whole(folded(w, ignore_case=True))) for w in given(self, parameters, "words")
        ]

    def score(self, answer: Answer) -> Score:
        text = folded(answer.output, ignore_case=True)
        missing = [w for w, found in self.words if not found.search(text)]
        told = f"missing {shown(', '.join(missing))}" if missing else "all are there"
        return Score((len(self.words) - len(missing)) / len(self.words), told)


def _whole(word: str) -> regex.Pattern[str]:
    """A word by itself; in scripts that part no words it stands where it stands."""
    before = "" if stands_alone(word[:1]) else r"(?<![\w\p{M}])"
    after = "" if stands_alone(word[-1:]) else r"(?![\w\p{M}])"
    return regex.compile(before + regex.escape(word) + after)


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
        words = (w.casefold() for w in _WORD.findall(folded(answer.output)))
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
        text = _QUOTED.sub(" ", answer.output)
        found = [m.group() for m in _FIRST.finditer(text) if not _is_ordinal(text, m)]
        more = re.findall(r"(?<![\w’'])(?:We|My|Our|Us)\b", text)
        words = sorted({*found, *more})
        return Score(float(not words), f"says {', '.join(words)}" if words else "no first person")


# World War I, Elizabeth I, Part I: a number, no person.
_COUNTED = re.compile(
    r"\b(?:war|part|type|phase|chapter|section|volume|book|act|class|stage|level|grade|appendix|"
    r"article|table|figure|title|annex|schedule|division|category|tier|group|unit|step|pier|"
    r"elizabeth|charles|james|george|henry|francis|william|frederick|nicholas|louis|philip|"
    r"napoleon|edward|richard|mary|pope \w+|king \w+|queen \w+|emperor \w+) $",
    re.IGNORECASE,
)
_NAMED = re.compile(r"[^.!?:\n]\s[A-Z][a-z]+ $")


def _is_ordinal(text: str, found: re.Match[str]) -> bool:
    """Whether an I counts a war or a king: it follows such a word, or a name within a sentence."""
    if found.group() != "I":
        return False
    before = text[max(0, found.start() - 40) : found.start()]
    return bool(_COUNTED.search(before) or _NAMED.search(before))


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
        # The question mark of an address asks nothing.
        count = len(re.findall(r"[?？؟\u037e]+", ADDRESS.sub(" ", answer.output)))
        return self.bounds.score(count, f"{count} question{'s' * (count != 1)}")


_GAPS = regex.compile(
    r"""
    \[(?!\^|x\]|\s?\])[^\[\]\n]{1,60}\](?!\()     # [name], but no link, footnote, tick box or citation number
  | \{\{[^{}\n]{1,60}\}\}                       # {{name}}
  | <(?!/|https?:|br\b)[\p{L}][\p{L}\p{M} _-]{1,40}>(?![^<]*</)   # <name>, but no element that is closed
  | (?<![\w_])_{3,}(?![\w_])                    # a line to write on
  | (?<!\.)\.{6,}(?!\.)
  | \b(?:TBD|TODO|XXX+|tbc|insert\s[\p{L}]+\shere|your\sname\shere|lorem\sipsum)\b
    """,
    regex.VERBOSE | regex.IGNORECASE,
)
_CITED = regex.compile(r"\[[\d,;\s–-]+\]|\[sic\]|\[(?:\.\.\.|…)\]", regex.IGNORECASE)


class NoGaps(Measure):
    """1 when nothing in the output is left for a person to fill in."""

    name = "no-gaps"
    description = (
        "The output leaves nothing to fill in: no [name], {{date}}, <vessel>, line of underscores, "
        "TBD (code apart)."
    )
    parameters = {"allow": Parameter("gaps that may stand, as they are written (optional)", TEXTS)}
    worked = ({}, "Dear [name], your boat leaves at ____.", None, 0.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.allow = {folded(a, ignore_case=True) for a in given(self, parameters, "allow")}

    def score(self, answer: Answer) -> Score:
        text = _CITED.sub(" ", without_code(answer.output))
        found = [m.group() for m in _GAPS.finditer(text)]
        left = [g for g in dict.fromkeys(found) if folded(g, ignore_case=True) not in self.allow]
        if left:
            return Score(0.0, f"left to fill in: {shown(', '.join(left), 120)}")
        return Score(1.0, "nothing is left to fill in")
