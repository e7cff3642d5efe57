"""Limits of length: how many words, sentences, lines …, of the whole answer or of each of its parts."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import regex

from nomikon.core.prompts.tenor.lexicon import (
    CHARACTERS,
    ITEMS,
    LEXICONS,
    WORDS,
    Lexicon,
)
from nomikon.core.prompts.tenor.shape import Limit, Words
from nomikon.core.prompts.tenor.text import PromptText

# Between a number and its unit: what may stand there describes, it does not join.
_NO_ADJECTIVE = (
    r"(?!(?:je|pro|jede[mnrs]?|par|por|chaque|cada|every|of|the|these|those|this|or|and|to|in|per|each|from|der|die|das|dieser|den|von|de|des|du|la|le|"
    r"les|los|las|del|ces|cette|estas?|estos|y|o|ou|et|oder|und|as|is|are)\b)"
)
# Keys before a colon that name no part of the answer.
_GENERAL = regex.compile(
    r"(?:rules?|length|limits?|format|output|task|style|note|requirements?|important|constraints?|step|"
    r"answer|response|input|regeln?|länge|umfang|ausgabe|aufgabe|stil|wichtig|hinweis|schritt|antwort|"
    r"règles?|longueur|tâche|consigne|réponse|sortie|important|étape|reglas?|longitud|extensión|tarea|"
    r"salida|respuesta|importante|paso)\b.*",
    regex.IGNORECASE,
)
_KEY = regex.compile(r"^\W*(?P<key>[\p{L}][\p{L} -]{1,25}?)[ \t]*:")
# A clause that tells what comes in, not what shall come out.
_TOLD = regex.compile(
    r"^\W*(?:the |each |every |der |die |das |le |la |el |l[’'])?(?:input|text|message|article|document|e-?mail|"
    r"eingabe|nachricht|texte|message|entrada|mensaje|texto|transcript)\w*\s+(?:is|are|has|have|contains?|consists?|"
    r"ist|hat|enthält|besteht|est|contient|comporte|es|tiene|contiene)\b",
    regex.IGNORECASE,
)


# Words by which a clause goes on to another part of the answer.
_FURTHER = regex.compile(
    r"^\W*(?:\d+[.)]\s*)?(?:then|next|after(?:wards| that)?|second(?:ly)?|finally|followed by|below it|under it|"
    r"danach|anschließend|dann|darunter|zum schluss|ensuite|puis|enfin|después|luego|a continuación|por último)\b",
    regex.IGNORECASE,
)


class _Patterns:
    """The patterns of one language."""

    def __init__(self, words: Lexicon) -> None:
        def made(text: str) -> regex.Pattern[str]:
            return regex.compile(text, regex.IGNORECASE)

        units = "|".join(sorted(words.units.values(), key=len, reverse=True))
        joins = words.between
        self.units = {what: made(pattern) for what, pattern in words.units.items()}
        self.number = made(
            rf"(?<![\w{{.,-])(?P<n>{words.number})(?:\s*(?:{joins})\s*(?P<m>{words.number}))?"
            rf"(?:\s+|-)(?:{_NO_ADJECTIVE}[\w-]+\s+){{0,2}}?(?P<unit>{units})(?![\w])"
        )
        end = r"(?:\s+(?:of|to|from|de|von|a|à|al|auf))?\s*$"
        self.at_most = made(rf"(?<!\w)(?:{words.at_most}){end}")
        self.at_least = made(rf"(?<!\w)(?:{words.at_least}){end}")
        self.less = made(rf"(?<!\w)(?:{words.less}){end}")
        self.exactly = made(rf"(?<!\w)(?:{words.exactly})\s*$")
        self.after_most = made(rf"^[\s,(]*(?:{words.after_most})")
        self.after_least = made(rf"^[\s,(]*(?:{words.after_least})")
        # "20 words each", and no noun after it: "…, each line at most 9" speaks of what follows.
        self.each_after = made(
            rf"^[\s,]*(?:{words.each}|apiece|jeweils|chacun\w*|cada un\w*)\b"
            r"(?!\s+(?!(?:and|und|et|y|but|aber|mais|pero)\b)\p{L})"
        )
        self.each_noun_after = made(
            rf"^(?:[\s,]*(?:{words.after_most}|{words.after_least}))?\s+(?:(?:for|in|of|für|pour|de|para|en)\s+)?(?:{words.each})\s+(?P<noun>[\p{{L}}]+)"
        )
        self.each = made(
            rf"(?<!\w)(?:{words.each})\s+(?!lo\b|favor\b|nach\b|exemple\b|ejemplo\b|el\b|la\b|cent\b)(?P<noun>[\p{{L}}]+)"
        )
        self.counted = made(
            rf"(?P<unit>{units})\s+(?:{words.of})\s*(?:{words.at_most}|{words.at_least}|{words.less}|"
            rf"{words.exactly})?\s*$"
        )
        self.parts = made(rf"(?<!\w)(?P<part>{words.parts})\b")
        self.whole = made(rf"(?<!\w)(?:{words.whole})\b")

    def unit(self, said: str) -> str:
        """Which unit a word names."""
        return next((w for w, pattern in self.units.items() if pattern.fullmatch(said)), ITEMS)


@lru_cache(maxsize=8)
def _patterns(language: str) -> _Patterns:
    return _Patterns(LEXICONS[language])


def limits_of(text: PromptText) -> list[Limit]:
    """Every limit that the prompt states, in order; none where its language is not read."""
    if text.lexicon is None:
        return []
    patterns = _patterns(text.language)
    found = []
    for clause, said in text.bare_clauses():
        if _TOLD.match(said):
            continue
        for match, limit in _in_clause(said, text.lexicon, patterns):
            start, end = clause.start + match[0], clause.start + match[1]
            words = Words(
                clause.message, start, end, text.contents[clause.message][start:end], clause.number
            )
            found.append(Limit(*limit, words, bool(_FURTHER.search(said))))
    return found


_Found = tuple[tuple[int, int], tuple[str, str, int | None, int | None]]


def _in_clause(said: str, words: Lexicon, patterns: _Patterns) -> Iterator[_Found]:
    for match in patterns.number.finditer(said):
        before, after = said[: match.start()], said[match.end() :]
        number = words.value(match["n"])
        other = words.value(match["m"]) if match["m"] else None
        what = patterns.unit(match["unit"])
        bounds, start = _bounds(before, after, number, other, what, patterns)
        if bounds is None:
            continue
        per = _per(said, before, after, patterns)
        # What is counted is not a part of itself: "each of three lines" names no line of a line.
        yield (start, match.end()), (what, "" if per == what else per, *bounds)


def _bounds(
    before: str, after: str, number: int, other: int | None, what: str, patterns: _Patterns
) -> tuple[tuple[int | None, int | None] | None, int]:
    """The interval that is allowed and where its words begin; None where no limit is meant."""
    if other is not None:
        return (min(number, other), max(number, other)), len(before)
    for pattern, bounds in (
        (patterns.at_least, (number, None)),
        (patterns.at_most, (None, number)),
        (patterns.less, (None, number - 1)),
    ):
        if found := pattern.search(before):
            return bounds, found.start()
    if patterns.after_most.match(after):
        return (None, number), len(before)
    if patterns.after_least.match(after):
        return (number, None), len(before)
    if found := patterns.exactly.search(before):
        # "In 50 words" is about as many; nobody counts on the very word.
        return ((None, number) if what in (WORDS, CHARACTERS) else (number, number)), found.start()
    if what in (WORDS, CHARACTERS):
        return None, 0
    return (number, number), len(before)


def _per(said: str, before: str, after: str, patterns: _Patterns) -> str:
    """The part that the limit holds for."""
    if found := patterns.counted.search(before):
        return patterns.unit(found["unit"])
    if patterns.each_after.match(after):
        return ITEMS
    if found := patterns.each_noun_after.match(after):
        return patterns.unit(found["noun"])
    if found := patterns.each.search(before[-60:]):
        noun = found["noun"]
        return patterns.unit(noun) if noun else ITEMS
    if patterns.whole.search(said):
        return ""
    if found := list(patterns.parts.finditer(before[-50:])):
        return str(found[-1]["part"]).casefold()
    key = _KEY.match(said)
    if key and not _GENERAL.fullmatch(key["key"]):
        return str(key["key"]).strip().casefold()
    return ""
