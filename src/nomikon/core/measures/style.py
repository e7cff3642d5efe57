"""Style: reading ease, sentence length, formality, politeness, the language of the reply."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, Measure, Score, only_known, shown
from nomikon.core.measures.declared import CHOICE, TEXT, WHOLE, Parameter
from nomikon.core.measures.length import count_sentences, count_words
from nomikon.core.measures.parameters import BOUNDS, Bounds, given

_WORD = re.compile(r"[A-Za-z]+(?:['’][A-Za-z]+)*")
_VOWELS = re.compile(r"[aeiouy]+")


class ReadingEase(Measure):
    """1 when Flesch's reading ease (1948) lies within bounds. English; higher is easier.

    206.835 − 1.015 × words ÷ sentences − 84.6 × syllables ÷ words, syllables
    counted by groups of vowels with a silent final e taken off.
    """

    name = "reading-ease"
    description = (
        "Flesch reading ease within bounds: about 90 very easy, 60 plain, 30 hard (English)."
    )
    parameters = BOUNDS
    worked = ({"min": 90}, "The cat sat on the mat.", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.bounds = Bounds(self.name, parameters)

    def score(self, answer: Answer) -> Score:
        words = _WORD.findall(answer.output)
        if not words:
            return Score(None, "no words to read")
        syllables = sum(count_syllables(w) for w in words)
        sentences = max(1, count_sentences(answer.output))
        ease = 206.835 - 1.015 * len(words) / sentences - 84.6 * syllables / len(words)
        return self.bounds.score(ease, f"reading ease {ease:.1f}")


@lru_cache(maxsize=20_000)
def count_syllables(word: str) -> int:
    """Groups of vowels, a silent final e taken off; at least one.

    >>> count_syllables('harbour')
    2
    """
    text = word.lower()
    count = len(_VOWELS.findall(text))
    if text.endswith("e") and not text.endswith(("le", "ee", "ye")) and count > 1:
        count -= 1
    return max(1, count)


class SentenceLength(Measure):
    """1 when the mean number of words in a sentence lies within bounds."""

    name = "sentence-length"
    description = "The mean number of words in a sentence."
    parameters = BOUNDS
    worked = ({"max": 3}, "Go now. Take the next boat.", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.bounds = Bounds(self.name, parameters)

    def score(self, answer: Answer) -> Score:
        sentences = count_sentences(answer.output)
        if not sentences:
            return Score(None, "no sentence")
        mean = count_words(answer.output) / sentences
        return self.bounds.score(mean, f"{mean:.1f} words a sentence")


_INFORMAL = re.compile(
    r"\b(?:\w+['’](?:re|ve|ll|d|m|t)|gonna|wanna|gotta|kinda|yeah|yep|nope|hey|hi|guys|stuff|cool|"
    r"awesome|ok|okay|super|btw|lol|pls|thx|cheers)\b|!{1,}|[\U0001F300-\U0001FAFF]|:-?\)",
    re.IGNORECASE,
)
_FORMAL = re.compile(
    r"\b(?:dear|sincerely|regards|furthermore|moreover|therefore|however|regarding|concerning|"
    r"hereby|kindly|shall|pursuant|accordingly|apologise|apologize|inform|request|provide|ensure|"
    r"sir|madam)\b",
    re.IGNORECASE,
)


class Formality(Measure):
    """Share of formality markers that are of the wanted kind; 0.5 where there are none (English)."""

    name = "formality"
    description = "Whether markers of formal or informal English prevail, as wanted."
    parameters = {
        "want": Parameter("formal or informal (default formal)", CHOICE, ("formal", "informal"))
    }
    worked = ({"want": "formal"}, "Hey guys, we apologise.", None, 1 / 3)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.want = given(self, parameters, "want")

    def score(self, answer: Answer) -> Score:
        formal = _FORMAL.findall(answer.output)
        informal = _INFORMAL.findall(answer.output)
        total = len(formal) + len(informal)
        if not total:
            return Score(0.5, "no marker of either kind")
        right = formal if self.want == "formal" else informal
        told = f"formal: {shown(', '.join(formal)) or 'none'}; informal: {shown(', '.join(informal)) or 'none'}"
        return Score(len(right) / total, told)


_POLITE = re.compile(
    r"\b(?:please|thank you|thanks|sorry|apologis\w+|apologiz\w+|appreciate|grateful|kindly|"
    r"could you|would you|may we|we regret|welcome)\b",
    re.IGNORECASE,
)


class Politeness(Measure):
    """1 when at least so many markers of politeness occur (English)."""

    name = "politeness"
    description = "Markers of politeness: please, thank you, sorry and the like (English)."
    parameters = {"min": Parameter("least number of markers (default 1)", WHOLE, default=1)}
    worked = ({}, "Thank you for writing, please board at gate 2.", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.least = given(self, parameters, "min")

    def score(self, answer: Answer) -> Score:
        found = [m.lower() for m in _POLITE.findall(answer.output)]
        told = shown(", ".join(found)) if found else "none found"
        if len(found) < self.least:
            return Score(len(found) / self.least, f"{told}; {self.least} wanted")
        return Score(1.0, told)


# Fewer letters than this say little about the language.
ENOUGH_LETTERS = 12


class Language(Measure):
    """1 when the output is in the wanted language, told by py3langid (Lui and Baldwin 2012)."""

    name = "language"
    description = "The language the output is written in (needs about a sentence)."
    parameters = {
        "code": Parameter("two-letter code of the language (ISO 639-1), such as en or sv", TEXT)
    }
    worked = ({"code": "de"}, "Das Schiff fährt heute leider nicht mehr.", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        from py3langid.langid import MODEL_FILE, LanguageIdentifier

        identifier = _identifier(LanguageIdentifier, MODEL_FILE)
        code = parameters.get("code")
        if code not in identifier.nb_classes:
            known = ", ".join(sorted(identifier.nb_classes))
            raise MeasureError(f"code is {code!r}; known are {known}", field="code")
        self.code = str(code)
        self._identifier = identifier

    def score(self, answer: Answer) -> Score:
        if sum(c.isalpha() for c in answer.output) < ENOUGH_LETTERS:
            return Score(None, "too short to tell the language")
        found, _ = self._identifier.classify(answer.output)
        return Score(float(found == self.code), f"reads as {found}")


@lru_cache(maxsize=1)
def _identifier(kind: Any, model: str) -> Any:
    return kind.from_model_file(model)
