"""Whole numbers in words, English, German, French and Spanish, up to the millions."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import regex

_ENGLISH = {
    **{w: i for i, w in enumerate(
        "zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen "
        "fifteen sixteen seventeen eighteen nineteen".split())},
    **{w: 10 * i for i, w in enumerate(
        "twenty thirty forty fifty sixty seventy eighty ninety".split(), 2)},
    "dozen": 12,
}  # fmt: skip
_GERMAN_ONES = {w: i for i, w in enumerate(
    "null ein zwei drei vier fünf sechs sieben acht neun zehn elf zwölf dreizehn vierzehn fünfzehn "
    "sechzehn siebzehn achtzehn neunzehn".split())}  # fmt: skip
_GERMAN_TENS = {w: 10 * i for i, w in enumerate(
    "zwanzig dreißig vierzig fünfzig sechzig siebzig achtzig neunzig".split(), 2)}  # fmt: skip
_FRENCH = {w: i for i, w in enumerate(
    "zéro un deux trois quatre cinq six sept huit neuf dix onze douze treize quatorze quinze "
    "seize".split())} | {"vingt": 20, "trente": 30, "quarante": 40, "cinquante": 50,
    "soixante": 60, "septante": 70, "huitante": 80, "nonante": 90}  # fmt: skip
_SPANISH = {w: i for i, w in enumerate(
    "cero uno dos tres cuatro cinco seis siete ocho nueve diez once doce trece catorce quince "
    "dieciséis diecisiete dieciocho diecinueve veinte veintiuno veintidós veintitrés "
    "veinticuatro veinticinco veintiséis veintisiete veintiocho veintinueve".split())} | {
    w: 10 * i for i, w in enumerate(
        "treinta cuarenta cincuenta sesenta setenta ochenta noventa".split(), 3)}  # fmt: skip
_SCALES = {"hundred": 100, "thousand": 1000, "million": 1_000_000, "cent": 100, "cents": 100,
           "mille": 1000, "cien": 100, "ciento": 100, "mil": 1000}  # fmt: skip
# Words that mean something else as often as a number: alone they are none.
_WEAK = frozenset(
    {"one", "un", "uno", "ein", "a", "once", "mil", "cent", "cents", "six", "dix", "sept"}
)
_JOINERS = frozenset({"and", "et", "y"})
_ALL = {**_FRENCH, **_SPANISH, **_ENGLISH}
_WORD = regex.compile(r"[\p{L}\p{M}]+|[^\s\p{L}\p{M}]")


def numbers_in_words(text: str) -> Iterator[tuple[int, str]]:
    """Each number in words with how it is said, in order.

    >>> list(numbers_in_words("pier nine, twenty-five euros, zweiundzwanzig Minuten"))
    [(9, 'nine'), (25, 'twenty-five'), (22, 'zweiundzwanzig')]
    """
    run: list[str] = []
    start = end = 0
    for match in _WORD.finditer(text):
        word = match.group().lower()
        known = word in _ALL or word in _SCALES
        between = text[end : match.start()]
        if run and (word == "-" or (word in _JOINERS and not between.strip())):
            run.append(word)
            end = match.end()
            continue
        if known and run and between.strip("- ") == "" and "\n" not in between:
            run.append(word)
            end = match.end()
            continue
        yield from _told(run, text[start:end])
        run = []
        if known:
            run, start, end = [word], match.start(), match.end()
        elif (value := _german(word)) is not None:
            yield value, match.group()
    yield from _told(run, text[start:end])


def _told(run: list[str], said: str) -> Iterator[tuple[int, str]]:
    words = [w for w in run if w != "-" and w not in _JOINERS]
    if not words or (len(words) == 1 and words[0] in _WEAK):
        return
    while run and (run[-1] == "-" or run[-1] in _JOINERS):
        said = said.rstrip().removesuffix(run[-1]).rstrip()
        run = run[:-1]
    total = part = 0
    for at, word in enumerate(words):
        if word in _SCALES:
            scale = _SCALES[word]
            if scale == 100:
                part = max(1, part) * 100
            else:
                total, part = total + max(1, part) * scale, 0
        elif word == "dozen" and part:
            part *= 12
        # quatre-vingt(s): four twenties.
        elif word == "vingt" and at and words[at - 1] == "quatre":
            part += 76
        else:
            part += _ALL[word]
    yield total + part, said


@lru_cache(maxsize=4096)
def _german(word: str) -> int | None:
    """A German number, which is one word; None for any other word."""
    if word in ("eins", "eine", "einen", "einem", "einer"):
        return 1 if word == "eins" else None
    if word == "ein":
        return None
    rest, total = word, 0
    for scale, name in ((1000, "tausend"), (100, "hundert")):
        if name in rest:
            head, _, rest = rest.partition(name)
            count = _below_hundred(head) if head else 1
            if count is None:
                return None
            total += count * scale
            rest = rest.removeprefix("und")
    if not rest:
        return total if total else None
    last = _below_hundred(rest)
    return None if last is None else total + last


def _below_hundred(word: str) -> int | None:
    word = word.replace("dreissig", "dreißig")
    if word in _GERMAN_ONES:
        return _GERMAN_ONES[word]
    if word in _GERMAN_TENS:
        return _GERMAN_TENS[word]
    ones, und, tens = word.partition("und")
    if und and ones in _GERMAN_ONES and tens in _GERMAN_TENS:
        return _GERMAN_ONES[ones] + _GERMAN_TENS[tens]
    return None
