"""Style: reading ease, sentence length, formality, politeness, the language of the reply."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache
from typing import Any, NamedTuple

import regex

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, Measure, Score, only_known
from nomikon.core.measures.declared import CHOICE, TEXT, TEXTS, WHOLE, Parameter
from nomikon.core.measures.length import count_sentences, count_words
from nomikon.core.measures.parameters import BOUNDS, Bounds, given
from nomikon.core.plain_json import shown
from nomikon.core.texts.language import FLOOR, known_languages, told_language
from nomikon.core.texts.words import sentences_in

_WORD = regex.compile(r"[\p{L}\p{M}]+(?:['’][\p{L}\p{M}]+)*")


class _Ease(NamedTuple):
    """constant − sentence × words ÷ sentences − word × syllables ÷ words."""

    constant: float
    sentence: float
    word: float
    source: str


# Published for each language; others have none.
EASE = {
    "en": _Ease(206.835, 1.015, 84.6, "Flesch 1948"),
    "de": _Ease(180.0, 1.0, 58.5, "Amstad 1978"),
    "es": _Ease(206.84, 1.02, 60.0, "Fernández Huerta 1959"),
    "fr": _Ease(207.0, 1.015, 73.6, "Kandel and Moles 1958"),
}
_VOWELS = {
    "en": regex.compile(r"[aeiouyáéíóúàèìòùâêîôûäëïöü]+"),
    # ie, ei, au, eu, äu are one; other vowels that meet are two.
    "de": regex.compile(r"ie|ei|ai|au|eu|äu|aa|ee|oo|[aeiouyäöüé]"),
    # Two strong vowels are two syllables, a weak one joins its neighbour unless it bears the accent.
    "es": regex.compile(r"[iuü]?[aeoáéó](?:[iuüy](?![aeoáéó]))?|[íú]|[iuü]+|y(?![aeiouáéíóú])"),
    "fr": regex.compile(r"[aeiouyàâäéèêëîïôöùûüœæ]+"),
}


class ReadingEase(Measure):
    """1 when the reading ease of a language's own published formula lies within bounds."""

    name = "reading-ease"
    description = (
        "Reading ease within bounds: about 90 very easy, 60 plain, 30 hard. English (Flesch), "
        "German (Amstad), Spanish (Fernández Huerta), French (Kandel and Moles); other languages "
        "have no score."
    )
    parameters = {
        **BOUNDS,
        "language": Parameter("whose formula: en (the default), de, es or fr", CHOICE, tuple(EASE)),
    }
    worked = ({"min": 90}, "The cat sat on the mat.", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.language = given(self, parameters, "language")
        own = {k: v for k, v in parameters.items() if k in BOUNDS}
        self.bounds = Bounds(self.name, own)

    def score(self, answer: Answer) -> Score:
        words = _WORD.findall(answer.output)
        if not words:
            return Score(None, "no words to read")
        told = told_language(answer.output)
        if told is not None and told[0] != self.language and told[1] >= FLOOR:
            return Score(None, f"it reads as {told[0]}: the formula is for {self.language}")
        syllables = sum(count_syllables(w, self.language) for w in words)
        sentences = max(1, len(sentences_in(answer.output, self.language)))
        by = EASE[self.language]
        ease = by.constant - by.sentence * len(words) / sentences
        ease -= by.word * syllables / len(words)
        return self.bounds.score(ease, f"reading ease {ease:.1f} ({by.source})")


@lru_cache(maxsize=20_000)
def count_syllables(word: str, language: str = "en") -> int:
    """Groups of vowels as the language joins them; of English and French a silent e at the end
    taken off; at least one.

    >>> count_syllables('harbour'), count_syllables('Hafenmauer', 'de'), count_syllables('día', 'es')
    (2, 4, 2)
    """
    text = unicodedata.normalize("NFC", word).lower()
    count = len(_VOWELS[language].findall(text))
    silent = {"en": ("e", ("le", "ee", "ye")), "fr": ("e", ())}.get(language)
    if silent and count > 1 and text.rstrip("s").endswith("e"):
        ends = text if language == "en" else text.rstrip("s")
        if ends.endswith("e") and not ends.endswith(silent[1] or ("\0",)):
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
    """Share of formality markers that are of the wanted kind; none without any (English)."""

    name = "formality"
    description = (
        "Whether markers of formal or informal English prevail, as wanted; no score without any."
    )
    parameters = {
        "want": Parameter("formal or informal (default formal)", CHOICE, ("formal", "informal"))
    }
    worked = ({"want": "formal"}, "Hey guys, we apologise.", None, 1 / 3)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.want = given(self, parameters, "want")

    def score(self, answer: Answer) -> Score:
        text = answer.output.replace("’", "'")
        formal, informal = _FORMAL.findall(text), _INFORMAL.findall(text)
        total = len(formal) + len(informal)
        if not total:
            return Score(None, "no marker of either kind is in it (the list is English)")
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


class Language(Measure):
    """1 when the output is in the wanted language, told by py3langid (Lui and Baldwin 2012)."""

    name = "language"
    description = (
        "The language the output is written in (needs about a sentence); no score where it cannot "
        "be told with some certainty."
    )
    parameters = {
        "code": Parameter("two-letter code of the language (ISO 639-1), such as en or sv", TEXT),
        "among": Parameter(
            "codes of the languages that come into question (optional): the fewer, the surer", TEXTS
        ),
    }
    worked = ({"code": "de"}, "Das Schiff fährt heute leider nicht mehr.", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        known = known_languages()
        code = parameters.get("code")
        among = given(self, parameters, "among")
        for field, value in (("code", code), *(("among", a) for a in among)):
            if value not in known:
                raise MeasureError(
                    f"{field} is {value!r}; known are {', '.join(sorted(known))}", field=field
                )
        self.code = str(code)
        self.among = tuple(sorted({*among, self.code})) if among else ()

    def score(self, answer: Answer) -> Score:
        told = told_language(answer.output, self.among)
        if told is None:
            return Score(None, "too short to tell the language")
        found, likely = told
        if likely < FLOOR:
            return Score(None, f"cannot tell: {found} is likeliest, at {likely:.0%}")
        return Score(float(found == self.code), f"reads as {found}")
