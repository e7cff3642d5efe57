"""Twins that say the same: the answer must not change."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Mapping, Sequence

import regex

from nomikon.core.texts.words import sentences_in
from nomikon.core.twins.drawing import Draw
from nomikon.core.twins.words import NEIGHBOURS, WORDS

# One slip in so many words, and at least one.
SLIP_EVERY = 12
_WORD = regex.compile(r"\p{L}{4,}")
_QUOTES = (("“", "”"), ("«", "»"), ("„", "“"), ("'", "'"), ('"', '"'))
_QUOTED = regex.compile(r"([“„«\"])([^“”„«»\"]+)([”“»\"])")
_SIGNS = regex.compile(r"(?<=\p{L}|\s|^)[.,;:!?¡¿…]+(?=\s|$|\p{L}{2})|[.,;:!?¡¿…]+(?=\s|$)")

Maker = Callable[[str, Draw, str], str]


def typing(text: str, draw: Draw, language: str) -> str:
    """A few letters struck beside their key, doubled, dropped or turned round; no digit, and no word with
    a capital: a name spelt otherwise may be another name.

    A script without the keyboard of Latin letters has neighbours turned round instead.
    """
    words = [m for m in _WORD.finditer(text) if m.group() == m.group().lower()]
    if not words:
        return text
    slips = {draw.below(len(words)) for _ in range(max(1, len(words) // SLIP_EVERY))}
    for place in sorted(slips, reverse=True):
        m = words[place]
        text = text[: m.start()] + _slipped(m.group(), draw) + text[m.end() :]
    return text


def _slipped(word: str, draw: Draw) -> str:
    # Not the first letter: the word's look stays.
    at = 1 + draw.below(len(word) - 2)
    near = NEIGHBOURS.get(word[at].lower(), "")
    way = draw.below(4 if near else 3)
    if way == 3:
        return word[:at] + draw.one(near) + word[at + 1 :]
    if way == 2:
        return word[:at] + word[at] + word[at:]
    if way == 1 and len(word) > 5:
        return word[:at] + word[at + 1 :]
    return word[:at] + word[at + 1] + word[at] + word[at + 2 :]


def lower(text: str, draw: Draw, language: str) -> str:
    """All in small letters."""
    return text.lower()


def no_punctuation(text: str, draw: Draw, language: str) -> str:
    """Without the signs between and after sentences; times, numbers and addresses stay whole."""
    return str(_SIGNS.sub("", text))


def blanks(text: str, draw: Draw, language: str) -> str:
    """Blanks doubled here and there, a line broken where there was a blank, a blank at the end."""
    places = [m.start() for m in regex.finditer(r"(?<=\S) (?=\S)", text)]
    if not places:
        return f" {text} "
    some = {draw.one(places) for _ in range(1 + len(places) // 8)}
    for n, place in enumerate(sorted(some, reverse=True)):
        text = text[:place] + ("  " if n % 2 else "\n") + text[place + 1 :]
    return f"{text} "


def quotes(text: str, draw: Draw, language: str) -> str:
    """Other quotation marks around what is quoted."""

    def other(m: regex.Match[str]) -> str:
        left, right = draw.one([q for q in _QUOTES if q[0] != m[1]])
        return f"{left}{m[2]}{right}"

    made = str(_QUOTED.sub(other, text))
    # Apostrophes are of two shapes, too.
    if made == text:
        made = text.replace("’", "'") if "’" in text else text.replace("'", "’")
    return made


def order(text: str, draw: Draw, language: str) -> str:
    """Sentences in another order, where order means nothing: none begins with what looks back."""
    if regex.search(r"^\s*(?:[-*•]|\d+[.)])\s", text, regex.MULTILINE):
        return text
    found = sentences_in(text, language)
    looks_back = any(_LOOKS_BACK.match(s) for s in found) or any(
        _POINTS_BACK.search(s) for s in found[1:]
    )
    if len(found) < 2 or looks_back:
        return text
    turned = draw.order(found)
    if turned == found:
        turned = [*found[1:], found[0]]
    return " ".join(turned)


# A sentence that holds such a word, or begins so, means what stands before it.
_POINTS_BACK = regex.compile(
    r"(?i)(?<!\w)(?:it|its|that|this|these|those|he|she|they|him|them|his|their|one|another|other|es|dies\w*|ihn|ihm|"
    r"ihnen|ça|cela|celui|lui|leur|eso|esto|aquel\w*|lo|la)(?!\w)"
)
_LOOKS_BACK = regex.compile(
    r"(?i)\W*(?:then|so|but|and|or|therefore|this|that|these|those|it|he|she|they|also|still|after|later|"
    r"first|second|finally|next|now|because|instead|however|dann|also|aber|und|oder|deshalb|dies\w*|das|es|er|"
    r"sie|danach|später|zuerst|trotzdem|puis|mais|et|ou|donc|ce\w*|il|elle|ils|elles|ensuite|après|alors|"
    r"luego|pero|y|o|entonces|est[aeo]s?|él|ella|ellos|después|primero|además)\b"
)


def greeting(text: str, draw: Draw, language: str) -> str:
    """A greeting before it."""
    words = WORDS.get(language)
    return f"{draw.one(words.greetings)}\n\n{text}" if words else text


def filler(text: str, draw: Draw, language: str) -> str:
    """A sentence that says nothing of the matter, before or after it."""
    words = WORDS.get(language)
    if not words:
        return text
    if draw.below(2):
        return f"{draw.one(words.before)} {text}"
    return f"{text} {draw.one(words.after)}"


def paragraph(text: str, draw: Draw, language: str) -> str:
    """A long paragraph of another matter after it."""
    words = WORDS.get(language)
    return f"{text}\n\n{draw.one(words.paragraph)}" if words else text


def numbers(text: str, draw: Draw, language: str) -> str:
    """Numbers written otherwise: small ones in words, great ones with or without their mark."""
    words = WORDS.get(language)
    if not words:
        return text

    def told(m: regex.Match[str]) -> str:
        value = int(m[0])
        # In a row of digits, a date or a time it would be another thing.
        return words.numbers[value - 2] if 2 <= value <= 12 else m[0]

    made = regex.sub(
        r"(?<![\w.,:/–-])(?<!/ )\d{1,2}(?![\w:/–-]| /| \p{Lu}|[.,]\d|\.\s*\p{Lu}\p{Ll}+\s+\d)",
        told,
        text,
    )
    mark = "," if language == "en" else "."
    return str(
        regex.sub(
            rf"(?<![\d.,])(\d{{1,3}}){regex.escape(mark)}(\d{{3}})(?![\d.,]\d)", r"\1\2", made
        )
    )


def accents(text: str, draw: Draw, language: str) -> str:
    """Letters without their marks: café as cafe, Straße as Strasse."""
    plain = "".join(
        c
        for c in unicodedata.normalize("NFD", text.replace("ß", "ss"))
        if not unicodedata.combining(c)
    )
    # Only Latin letters lose a mark and stay the same word: elsewhere it is another letter.
    latin = all(unicodedata.name(c, "").startswith("LATIN") for c in text if c.isalpha())
    return unicodedata.normalize("NFC", plain) if latin else text


def synonyms(text: str, draw: Draw, own: Mapping[str, Sequence[str]]) -> str:
    """One word of an own list put in another's place; own: each word with those that mean the same."""
    found = [w for w in own if regex.search(rf"(?i)(?<!\w){regex.escape(w)}(?!\w)", text)]
    if not found:
        return text
    word = draw.one(found)
    other = draw.one(list(own[word]))

    def put(m: regex.Match[str]) -> str:
        return other[:1].upper() + other[1:] if m[0][:1].isupper() else other

    return str(regex.sub(rf"(?i)(?<!\w){regex.escape(word)}(?!\w)", put, text))


SAME: Mapping[str, Maker] = {
    "typing": typing,
    "lower": lower,
    "no-punctuation": no_punctuation,
    "blanks": blanks,
    "quotes": quotes,
    "order": order,
    "greeting": greeting,
    "filler": filler,
    "paragraph": paragraph,
    "numbers": numbers,
    "accents": accents,
}
