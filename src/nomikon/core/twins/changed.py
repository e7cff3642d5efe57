"""Twins that say something else in one place: the answer must change with it, and only there."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import regex

from nomikon.core.twins.drawing import Draw
from nomikon.core.twins.words import WORDS


@dataclass(frozen=True)
class Replaced:
    """A text with one fact changed. becomes: "" where it was taken out."""

    text: str
    was: str
    becomes: str


# Capitals that make no name of somebody or something.
_NO_NAMES = frozenset(
    "monday tuesday wednesday thursday friday saturday sunday january february march april may june july "
    "august september october november december english german french spanish italian mr mrs ms dr prof "
    "monsieur madame señor señora".split()
)
# Within a sentence a capital makes a name, in languages that do not write every noun with one.
_INSIDE = regex.compile(r"(?<=[\p{Ll}\p{N},;]\s)\p{Lu}[\p{L}’'-]{2,}(?:\s\p{Lu}[\p{L}’'-]{2,})*")
_ALL_NOUNS = ("de", "lb")
# Names beyond these are too rare to be worth looking for in every case.
MOST_NAMES = 200
# A point parts hours and minutes only where the words before say that it is a time: 1.50 is a price.
_TIME = regex.compile(
    r"(?<![\d:.,/-])([01]?\d|2[0-3])([:h]|(?<=\b(?:at|by|till|until|um|ab|bis|gegen|vers|las)\s\d{1,2})\.)"
    r"([0-5]\d)(?![\d:/-]|[.,]\d)"
)
_NUMBER = regex.compile(r"(?<![\w:.,/–-])\d{1,6}(?![\w:/–-]|[.,]\d)")

# Of a text, by seed, with the facts of the same kind that other cases hold; None where there is none.
Maker = Callable[[str, Draw, str, Sequence[str]], Replaced | None]
# A sentence that denies already would be denied twice.
_DENIES = regex.compile(
    r"(?i)(?<!\w)(?:no|not|none|nobody|nothing|never|nor|n[’']t|nicht|kein\w*|nie|niemand|nichts|pas|"
    r"jamais|aucune?|personne|rien|nunca|nadie|nada|ning[uú]n\w*)(?!\w)|n[’']t\b"
)


def time(text: str, draw: Draw, language: str, known: Sequence[str]) -> Replaced | None:
    """One time of day becomes another."""
    found = list(_TIME.finditer(text))
    if not found:
        return None
    m = draw.one(found)
    minutes = int(m[1]) * 60 + int(m[3])
    # Some hours and a few minutes off, so that no rounding hides it.
    later = (minutes + 60 * (2 + draw.below(9)) + 5 * (1 + draw.below(9))) % 1440
    hour = f"{later // 60:02d}" if len(m[1]) == 2 else str(later // 60)
    return _every(text, m[0], f"{hour}{m[2]}{later % 60:02d}")


def number(text: str, draw: Draw, language: str, known: Sequence[str]) -> Replaced | None:
    """One number that is no time, date or part of a word becomes another."""
    found = [m for m in _NUMBER.finditer(text) if m[0] not in ("0", "1")]
    if not found:
        return None
    m = draw.one(found)
    value = int(m[0])
    made = value + 1 + draw.below(max(3, value))
    return _every(text, m[0], str(made))


def names_in(text: str, language: str) -> list[str]:
    """What within its sentences is written as a name; none in languages that write all nouns so."""
    if language in _ALL_NOUNS:
        return []
    found = [m[0].removesuffix("'s").removesuffix("’s") for m in _INSIDE.finditer(text)]
    return [n for n in found if not any(w.casefold() in _NO_NAMES for w in n.split())]


def listed(
    text: str, draw: Draw, values: Sequence[str], kinds: Sequence[Sequence[str]] = ()
) -> Replaced | None:
    """One of a list's values becomes another of it: places, products, vessels.

    kinds: lists of what is of one kind; what stands in one of them becomes another of that.
    """
    held = held_in(text, values)
    if not held:
        return None
    was = draw.one(held)
    # What is of no kind that is known becomes none of a kind that is.
    among = next(
        (k for k in kinds if was in k), [v for v in values if not any(v in k for k in kinds)]
    )
    others = [v for v in among if v.casefold() != was.casefold() and v not in held]
    return _every(text, was, draw.one(others)) if others else None


def held_in(text: str, values: Sequence[str]) -> list[str]:
    """Those that stand in a text as whole words; of “Skerrow” and “Skerrow Quay” the longer."""
    found = [
        v for v in values if v in text and regex.search(rf"(?<!\w){regex.escape(v)}(?!\w)", text)
    ]
    return [v for v in found if not any(v != w and v in w for w in found)]


def negation(text: str, draw: Draw, language: str, known: Sequence[str]) -> Replaced | None:
    """One sentence is denied."""
    words = WORDS.get(language)
    spared = [
        m.span()
        for m in regex.finditer(r"[^.!?\n]+[.!?]?", text)
        if m[0].endswith("?") or _DENIES.search(m[0])
    ]
    for pattern, denied in words.negations if words else ():
        # A question would be asked otherwise, not denied.
        found = [
            m
            for m in regex.finditer(pattern, text)
            # What begins with its verb asks, with or without a mark.
            if not any(a <= m.start() < b for a, b in spared) and text[: m.start()].strip()
        ]
        if found:
            m = draw.one(found)
            made = str(regex.sub(pattern, denied, m.group()))
            return Replaced(text[: m.start()] + made + text[m.end() :], m.group(), made)
    return None


def taken_out(text: str, draw: Draw, language: str, known: Sequence[str]) -> Replaced | None:
    """One fact goes: what asks for it must be told as not given."""
    facts = [m[0] for m in _TIME.finditer(text)] + [m[0] for m in _NUMBER.finditer(text)]
    facts += held_in(text, known)
    if not facts:
        return None
    gone = draw.one(facts)
    pattern = (
        rf"(?:(?<=\S)\s+(?:at|by|on|from|um|ab|à|a las|the|der|die|das)\s+|\s*){_bounded(gone)}"
    )
    made = regex.sub(pattern, "", text)
    return Replaced(made, gone, "") if made.strip() and made != text else None


def _every(text: str, was: str, becomes: str) -> Replaced:
    """A fact changed wherever it stands: said twice, it is one fact."""
    return Replaced(regex.sub(_bounded(was), lambda m: becomes, text), was, becomes)


def _bounded(fact: str) -> str:
    return rf"(?<![\w:]){regex.escape(fact)}(?![\w]|[:.,]\d)"


CHANGED: Mapping[str, Maker] = {
    "time": time,
    "number": number,
    "negation": negation,
    "taken-out": taken_out,
}
