"""Rules about single words, signs and places: what is never said, how an answer begins, which characters
it must not hold, how often a word may stand, how long it is beside its input."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import regex

from nomikon.core.prompts.tenor.label_ways import QUOTED
from nomikon.core.prompts.tenor.lexicon import LEXICONS, Lexicon
from nomikon.core.prompts.tenor.shape import (
    BEGINS,
    ENDS,
    NEVER,
    NO_CHARACTERS,
    NO_STOP,
    RELATIVE,
    SAYS,
    TIMES,
    Sign,
    Words,
)
from nomikon.core.prompts.tenor.text import PromptText

_MARKS = " \t\"'“”„«»`"
# By language: the words of each kind of sign.
_SAID = {
    "en": {
        "begin": r"(?:begin|start|open)(?:s|ning|ing)?(?: (?:it|your \w+|the \w+|each \w+))? with",
        "end": r"(?:end|close|finish|sign off)(?:s|ing)?(?: (?:it|your \w+|the \w+))? with",
        "use": r"say|use|write|mention|include|contain|put",
        "stop": r"full stops?|periods?",
        "stop_end": r"(?:end|finish|close)\w*|at the end|final|trailing",
        "line": r"lines?|bullets?|items?|points?",
        "exclamation": r"exclamation (?:marks?|points?)",
        "question": r"question marks?",
        "emoji": r"emojis?|emoticons?|smileys?",
        "hash": r"hash ?tags?|hashes",
        "asterisk": r"asterisks?|stars",
        "dash": r"em[- ]dash(?:es)?|long dash(?:es)?",
        "digits": r"digits|numerals",
        "semicolon": r"semicolons?",
        "times": r"(?P<n>\d+(?= times)|once|twice|three(?= times))(?: times)?",
        "counts": {"once": 1, "twice": 2, "three": 3},
        "half": r"half (?:as long as|the length of)",
        "same": r"(?:no longer than|not longer than|as long as|the same length as)(?= (?:the|its|that)\b)",
        "other": r"the (?:original|input|source|text|article|message|letter|report|document)",
    },
    "de": {
        "begin": r"(?:beginn\w*|fang\w*|starte\w*|öffne)(?: \w+){0,2} mit",
        "end": r"(?:ende|beende|schließ\w*|hör\w*)(?: \w+){0,2} mit",
        "use": r"sag\w*|verwend\w*|schreib\w*|nenn\w*|erwähn\w*|benutz\w*|nutz\w*|gebrauch\w*",
        "stop": r"Punkte?|Satzpunkt",
        "stop_end": r"am Ende|Schluss\w*|ende\w*",
        "line": r"Zeilen?|Stichpunkte?n?|Punkte?n?|Einträge?n?",
        "exclamation": r"Ausrufe(?:zeichen|sätze)",
        "question": r"Fragezeichen",
        "emoji": r"Emojis?|Smileys?",
        "hash": r"Hashtags?",
        "asterisk": r"Sternchen",
        "dash": r"Gedankenstriche?",
        "digits": r"Ziffern",
        "semicolon": r"Semikolons?|Strichpunkte?",
        "times": r"(?P<n>\d+(?= ?[Mm]al)|einmal|zweimal|dreimal)(?: ?[Mm]al)?",
        "counts": {"einmal": 1, "zweimal": 2, "dreimal": 3},
        "half": r"halb so lang wie|die Hälfte (?:des|der)",
        "same": r"(?:nicht|keinesfalls) länger als(?= (?:der|die|das)\b)",
        "other": r"(?:der|die|das|des) (?:Original\w*|Eingabe|Text\w*|Artikel\w*|Nachricht|Brief\w*)",
    },
    "fr": {
        "begin": r"commenc\w*(?: \w+){0,2} par",
        "end": r"(?:termin\w*|fini\w*)(?: \w+){0,2} par",
        "use": r"dis|dites|utilis\w*|écri\w*|mentionn\w*|emploi\w*|employ\w*",
        "stop": r"points? finals?|point",
        "stop_end": r"à la fin|final\w*|termin\w*|fini\w*",
        "line": r"lignes?|puces?|points?",
        "exclamation": r"points? d[’']exclamation",
        "question": r"points? d[’']interrogation",
        "emoji": r"[eé]mojis?|émoticônes?|smileys?",
        "hash": r"hashtags?|mots-dièse",
        "asterisk": r"astérisques?",
        "dash": r"tirets? (?:long|cadratin)s?",
        "digits": r"chiffres",
        "semicolon": r"points?-virgules?",
        "times": r"(?P<n>\d+|une|deux|trois) fois",
        "counts": {"une": 1, "deux": 2, "trois": 3},
        "half": r"(?:deux fois|moitié) (?:plus court\w*|moins long\w*)|la moitié d[eu]",
        "same": r"pas plus long\w* que(?= (?:le|la|l[’'])\b)",
        "other": r"(?:le|la|l[’']|du|de la) ?(?:original\w*|texte|entrée|article|message|lettre)",
    },
    "es": {
        "begin": r"(?:empiez\w*|empez\w*|comienz\w*|comenz\w*)(?: \w+){0,2} (?:con|por)",
        "end": r"(?:termin\w*|acab\w*|finaliz\w*)(?: \w+){0,2} con",
        "use": r"digas?|di\b|us[ae]\w*|escrib\w*|mencion\w*|emple\w*|utili\w*",
        "stop": r"punto(?:s)?(?: finale?s?)?",
        "stop_end": r"al final|final\w*|termin\w*|acab\w*",
        "line": r"líneas?|viñetas?|puntos?",
        "exclamation": r"(?:signos? de )?exclamaci(?:ón|ones)",
        "question": r"signos? de interrogación",
        "emoji": r"emojis?|emoticonos?",
        "hash": r"hashtags?|etiquetas con #",
        "asterisk": r"asteriscos?",
        "dash": r"rayas?|guion(?:es)? larg\w*",
        "digits": r"cifras|dígitos",
        "semicolon": r"punto y coma",
        "times": r"(?P<n>\d+|una|dos|tres) (?:vez|veces)",
        "counts": {"una": 1, "dos": 2, "tres": 3},
        "half": r"la mitad (?:de|del|que)",
        "same": r"(?:no )?más larg\w* que(?= (?:el|la)\b)",
        "other": r"(?:el|la|del) (?:original|texto|entrada|artículo|mensaje|carta)",
    },
}
_CHARACTERS = {
    "exclamation": "!¡", "question": "?¿", "hash": "#", "asterisk": "*", "dash": "—", "digits": "0123456789",
    "semicolon": ";",
}  # fmt: skip


@dataclass(frozen=True)
class _Patterns:
    words: Lexicon
    said: dict[str, regex.Pattern[str]]
    counts: dict[str, int]
    forbids: regex.Pattern[str]
    demands: regex.Pattern[str]
    conditional: regex.Pattern[str]


@lru_cache(maxsize=8)
def _patterns(language: str) -> _Patterns:
    def made(text: str) -> regex.Pattern[str]:
        return regex.compile(rf"(?<!\w)(?:{text})(?!\w)", regex.IGNORECASE)

    words, own = LEXICONS[language], dict(_SAID[language])
    counts = own.pop("counts")
    assert isinstance(counts, dict)
    said = {k: made(str(v)) for k, v in own.items()}
    return _Patterns(
        words, said, counts,
        forbids=made(f"{words.negation}|{words.never_start}|ne|n[’']\\w+"),
        demands=made(rf"{words.must}|{words.reply}|{own['use']}"),
        conditional=made(r"if|when|where|unless|wenn|falls|si|quand|lorsque|cuando"),
    )  # fmt: skip


def signs_of(text: PromptText) -> list[Sign]:
    """Every rule of this kind, in order; what holds only on a condition is none."""
    if text.lexicon is None:
        return []
    patterns = _patterns(text.language)
    found: list[Sign] = []
    for clause, said in text.bare_clauses():
        if clause.kind == "heading" or patterns.conditional.search(said):
            continue
        words = Words(clause.message, clause.start, clause.end, clause.text, clause.number)
        found += _in_clause(said, words, patterns)
    return found


def _in_clause(said: str, words: Words, patterns: _Patterns) -> Iterator[Sign]:
    quoted = tuple(
        q for m in QUOTED.finditer(said) if (q := m.group().strip(_MARKS)) and "{{" not in q
    )
    forbids = bool(patterns.forbids.search(said))
    own = patterns.said
    if quoted and (own["begin"].search(said) or own["end"].search(said)):
        kind = BEGINS if own["begin"].search(said) else ENDS
        yield Sign(kind, quoted, words, absent=forbids)
        return
    if own["stop"].search(said) and own["stop_end"].search(said) and forbids:
        yield Sign(
            NO_STOP, ("lines",) if own["line"].search(_without(said, own["stop"])) else (), words
        )
        return
    if sign := _relative(said, words, patterns):
        yield sign
        return
    if forbids:
        ruled = "".join(signs for name, signs in _CHARACTERS.items() if own[name].search(said))
        emoji = bool(own["emoji"].search(said))
        if ruled or emoji:
            yield Sign(NO_CHARACTERS, (ruled, "emoji" if emoji else ""), words)
    if quoted:
        yield from _of_words(said, quoted, words, patterns, forbids=forbids)


def _without(said: str, pattern: regex.Pattern[str]) -> str:
    return str(pattern.sub(" ", said, count=1))


def _relative(said: str, words: Words, patterns: _Patterns) -> Sign | None:
    own = patterns.said
    for name, share in (("half", "0.5"), ("same", "1")):
        found = own[name].search(said)
        after = said[found.end() :] if found else ""
        if found and own["other"].match(after.lstrip()):
            return Sign(RELATIVE, (share,), words)
    return None


def _of_words(
    said: str, quoted: tuple[str, ...], words: Words, patterns: _Patterns, *, forbids: bool
) -> Iterator[Sign]:
    """Quoted words that must stand in the answer, must not, or only so often."""
    own = patterns.said
    if not own["use"].search(said):
        return
    bounded = regex.search(
        rf"(?<!\w)(?:{patterns.words.at_most}|{patterns.words.exactly}|{patterns.words.only})\s+$",
        said[: m.start()], regex.IGNORECASE,
    ) if (m := own["times"].search(said)) else None  # fmt: skip
    if m and len(quoted) == 1:
        told = m["n"].casefold()
        n = patterns.counts.get(told) or (int(told) if told.isdigit() else 1)
        exact = bounded is not None and bool(
            regex.search(rf"(?:{patterns.words.exactly})\s*$", bounded.group(), regex.IGNORECASE)
        )
        if bounded or forbids:
            yield Sign(TIMES, quoted, words, low=n if exact else None, high=n)
        return
    # "Answer “late”" is a label, not a word to be used; that is for the labels to tell.
    if forbids:
        yield Sign(NEVER, quoted, words)
    elif regex.search(rf"(?<!\w)(?:{patterns.words.must})(?!\w)", said, regex.IGNORECASE):
        yield Sign(SAYS, quoted, words)
