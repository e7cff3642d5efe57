"""The form that an answer shall have: JSON with its keys, a table, a list, a label, running text."""

from __future__ import annotations

import json
from functools import lru_cache
from itertools import takewhile
from typing import Any

import regex

from nomikon.core.prompts.tenor.label_ways import QUOTED
from nomikon.core.prompts.tenor.labels import labels_of
from nomikon.core.prompts.tenor.lexicon import LEXICONS, Lexicon
from nomikon.core.prompts.tenor.shape import (
    BULLETS,
    JSON,
    LABEL,
    NUMBERED,
    TABLE,
    Key,
    Output,
    Words,
)
from nomikon.core.prompts.tenor.text import PromptText

_JSON = regex.compile(r"\bJSON\b", regex.IGNORECASE)
_OBJECT = regex.compile(r"\{(?!\{)[^{}]*(?:\{[^{}]*\}[^{}]*)*\}")
_NAME = regex.compile(r"\"(?P<name>[\p{L}_][\w -]{0,40})\"\s*:")
_REMARK = regex.compile(r"\s*[(\[](?![(\[])[^()\[\]\n]*[)\]]")
_BARE_OBJECT = regex.compile(
    r"(?<!\{)\{\s*(?P<names>[\p{L}_][\w-]*(?:\s*,\s*[\p{L}_][\w-]*)+)\s*\}(?!\})"
)
_ARE = regex.compile(
    r"^\s*(?:(?:shall|should|must) be|are|is|sind|lauten|sont|son|serán)\s+", regex.IGNORECASE
)
_TYPED = regex.compile(r"(?<![\w.])(?P<name>[\p{L}_][\w-]{0,40})\s*\((?P<told>[^()\n]{2,60})\)")
_PLACEHOLDER = regex.compile(r"\{\{.*?\}\}", regex.DOTALL)
_TYPES = {
    "string": r"string|text|texte?|texto|cadena|chaîne|zeichenkette",
    "integer": r"integer|whole number|ganzzahl|entier|entero",
    "number": r"number|float|zahl|nombre|número",
    "boolean": r"boolean|bool|true or false|wahr oder falsch|vrai ou faux|verdadero o falso",
    "array": r"array|list|liste|lista",
}


class _Patterns:
    def __init__(self, words: Lexicon) -> None:
        def made(text: str) -> regex.Pattern[str]:
            return regex.compile(text, regex.IGNORECASE)

        self.table = made(rf"(?<!\w)(?:{words.table})\b")
        self.columns = made(
            rf"(?<!\w)(?:{words.columns})\b[^:\n.]{{0,30}}?(?::[ \t]*|[ \t]+)(?P<list>[^.\n]{{3,120}})"
        )
        self.bullets = made(rf"(?<!\w)(?:{words.bullets})\b")
        self.numbered = made(rf"(?<!\w)(?:{words.numbered})\b")
        self.keys = made(
            rf"(?<!\w)(?:{words.keys})\b[^:\n]{{0,25}}?:?[ \t]*(?P<list>[^\n]{{2,200}})?"
        )
        self.shape = made(rf"(?<!\w)(?:{words.shape}|{words.reply})(?!\w)[^.]*$")
        self.negation = made(rf"(?<!\w)(?:{words.negation})\s+(?:\S+\s+){{0,2}}$")
        self.prose = made(
            rf"(?<!\w)(?:(?:{words.writing})\b[^.\n]{{0,70}}?\b(?:{words.prose})\b"
            rf"|(?:in|als|en|as|comme|como)\s+(?:an?\s+|un[ea]?\s+|eine[mnr]?\s+|\d+\s+|two\s+|zwei\s+)?"
            rf"(?:short\s+|full\s+|kurze[nmr]?\s+)?(?:{words.prose})\b)"
        )
        # What says that the list is all there is, and what comes after it: "… and nothing else".
        self.rest = made(rf"(?:[,;]|\s(?:and|und|et|y))?\s*(?<!\w)(?:{words.only})\b.*$")
        self.joint = made(
            rf"\s*(?:,|;|\||(?<=\s)(?:and|und|et|y|{words.either_or})(?=\s))\s*(?:and\s+|und\s+|et\s+|y\s+)?"
        )


@lru_cache(maxsize=8)
def _patterns(language: str) -> _Patterns:
    return _Patterns(LEXICONS[language])


def output_of(text: PromptText, schema: Any = None) -> tuple[Output, list[Words], list[Words]]:
    """The form, labels named beside the list, and words that ask for flowing text.

    schema: a JSON Schema of the settings, which tells keys and types where there is one.
    """
    labels, closed, beside = labels_of(text)
    asked = _first(text, _JSON) or _shape_shown(text)
    keys = _keys_of_schema(schema) or (_keys(text) if asked or schema is not None else [])
    if asked or schema is not None:
        return (
            Output(JSON, tuple(keys), labels=tuple(labels), closed=closed, words=asked),
            beside,
            _prose(text, {k.name for k in keys}),
        )
    if text.lexicon is not None:
        patterns = _patterns(text.language)
        if words := _first(text, patterns.table):
            columns = _columns(text, patterns)
            return Output(TABLE, (), columns, tuple(labels), closed, words), beside, []
        if labels:
            return Output(LABEL, (), (), tuple(labels), closed, labels[0].words), beside, []
        for form, pattern in ((NUMBERED, patterns.numbered), (BULLETS, patterns.bullets)):
            if words := _first(text, pattern):
                return Output(form, words=words), beside, []
    return Output(labels=tuple(labels), closed=closed), beside, []


def _shape_shown(text: PromptText) -> Words | None:
    """An object that the prompt shows as the form of its answer, without the word for it."""
    if text.lexicon is None:
        return None
    asks = _patterns(text.language).shape
    for message, content in enumerate(text.bare):
        for match in _OBJECT.finditer(content):
            before = content[max(0, match.start() - 100) : match.start()]
            if len(_NAME.findall(match.group())) > 1 and asks.search(before):
                return text.words(message, match.start(), match.end())
    return None


def _first(text: PromptText, pattern: regex.Pattern[str]) -> Words | None:
    """The first place where a form is asked for, and not ruled out."""
    for words in text.find(pattern):
        content = text.contents[words.message]
        # The cue at the end asks for no form: it is held against the one asked for.
        if not content[words.end :].strip(": \n") and content.rstrip().endswith(":"):
            continue
        before = content[: words.start]
        if text.lexicon is None or not _patterns(text.language).negation.search(before[-40:]):
            return words
    return None


def _keys(text: PromptText) -> list[Key]:
    """Keys of an object that the prompt shows, or as it lists them."""
    listed, shown = _listed_keys(text), _shown_keys(text)
    if len(listed) < 2:
        return shown or listed
    types = {k.name: k.type for k in shown}
    return [k if k.type else Key(k.name, types.get(k.name, "")) for k in listed]


def _shown_keys(text: PromptText) -> list[Key]:
    """Keys of the first object that the prompt shows."""
    for content in text.contents:
        for match in _OBJECT.finditer(
            _PLACEHOLDER.sub(lambda m: '"' + " " * max(0, len(m.group()) - 2) + '"', content)
        ):
            if found := _keys_of_object(match.group()):
                return found
    return []


def _listed_keys(text: PromptText) -> list[Key]:
    """Keys as the prompt lists them in words."""
    if text.lexicon is None:
        return []
    patterns = _patterns(text.language)
    clauses = list(text.bare_clauses())
    for place, (_, said) in enumerate(clauses):
        match = patterns.keys.search(said)
        if match is None:
            continue
        # What a key is stands in brackets after it.
        listed = _ARE.sub("", _REMARK.sub("", _sentence(match["list"] or "")))
        quoted = [m.group().strip("\"'“”„«»` ") for m in QUOTED.finditer(said)]
        if len(quoted) >= 1 and all(regex.fullmatch(r"[\w-]{1,40}", q) for q in quoted):
            return [Key(q, "") for q in dict.fromkeys(quoted)]
        if said.rstrip().endswith(":"):
            items = _items(clauses[place + 1 :])
            if items:
                return items
        # German parts its verbs: "gib … mit den Schlüsseln titel und datum aus".
        plain = regex.sub(r"\s+(?:aus|zurück|an)\W*$", "", patterns.rest.sub("", listed))
        names = [p.strip(" \"'`().:") for p in patterns.joint.split(plain)]
        # What comes after them is said of them: "port and date, null where not given".
        own = list(takewhile(lambda n: regex.fullmatch(r"[\p{L}_][\w-]{0,40}", n), names))
        if len(own) >= 2:
            return [Key(n, "") for n in own]
    return _keys_by_the_way(text)


def _sentence(text: str) -> str:
    """Up to its end."""
    return str(regex.split(r"[.!?](?=\s)", text, maxsplit=1)[0])


def _keys_by_the_way(text: PromptText) -> list[Key]:
    """Keys in a clause about JSON: quoted, or each with its type in brackets: "vendor (string)"."""
    for _, said in text.bare_clauses():
        asked = _JSON.search(said)
        if asked is None or _NAME.search(said):
            # Of an object that stands there its own keys are read.
            continue
        quoted = [m.group().strip("\"'“”„«»` ") for m in QUOTED.finditer(said, asked.end())]
        if len(quoted) > 1 and all(regex.fullmatch(r"[\p{L}_][\w-]{0,40}", q) for q in quoted):
            return [Key(q, "") for q in dict.fromkeys(quoted)]
        if bare := _BARE_OBJECT.search(said, asked.end()):
            return [Key(n, "") for n in regex.findall(r"[\p{L}_][\w-]*", bare["names"])]
        found = [Key(m["name"], _type_of(m["told"])) for m in _TYPED.finditer(said)]
        if len(found) >= 2 and all(
            k.type or m["told"] for k, m in zip(found, _TYPED.finditer(said), strict=True)
        ):
            return found
    return []


def _items(clauses: list[tuple[Any, str]]) -> list[Key]:
    found = []
    for clause, said in clauses:
        match = regex.match(
            r"^\W*[\"“„«`]?(?P<name>[\p{L}_][\w-]{0,40})[\"”“»`]?[ \t]*(?P<told>[:(–-].*)?$",
            said.strip(),
            regex.DOTALL,
        )
        if clause.kind != "list-item" or match is None:
            break
        found.append(Key(match["name"], _type_of(match["told"] or "")))
    return found


def _type_of(told: str) -> str:
    return next(
        (
            name
            for name, pattern in reversed(_TYPES.items())
            if regex.search(rf"\b(?:{pattern})\b", told, regex.IGNORECASE)
        ),
        "",
    )


def _keys_of_object(text: str) -> list[Key]:
    try:
        read = json.loads(text)
    except (ValueError, RecursionError):
        names = list(dict.fromkeys(m["name"] for m in _NAME.finditer(text)))
        return [Key(n, "") for n in names] if names else []
    if not isinstance(read, dict) or not read:
        return []
    if properties := _keys_of_schema(read):
        return properties
    return [Key(str(k), _json_type(v)) for k, v in read.items()]


def _keys_of_schema(schema: Any) -> list[Key]:
    properties = schema.get("properties") if isinstance(schema, dict) else None
    if not isinstance(properties, dict):
        return []
    return [
        Key(str(k), str(v.get("type", "")) if isinstance(v, dict) else "")
        for k, v in properties.items()
    ]


def _json_type(value: Any) -> str:
    kinds = {bool: "boolean", int: "integer", float: "number", list: "array", dict: "object"}
    # A text stands for whatever will be there: its type is not said by it.
    return "" if isinstance(value, str) or value is None else kinds[type(value)]


def _columns(text: PromptText, patterns: _Patterns) -> tuple[str, ...]:
    for words in text.find(patterns.columns, group="list"):
        names = [p.strip(" \"'`:") for p in patterns.joint.split(words.text)]
        if len(names) >= 2 and all(0 < len(n) <= 40 for n in names):
            return tuple(names)
    return ()


def _prose(text: PromptText, keys: set[str]) -> list[Words]:
    """Words that ask for flowing text beside the JSON: not in a value of it, and not ruled out."""
    if text.lexicon is None:
        return []
    patterns = _patterns(text.language)
    found = []
    for words in text.find(patterns.prose):
        content = text.contents[words.message]
        clause = next(c for c in text.clauses if c.number == words.clause)
        inside = any(f'"{k}"' in clause.text or f"`{k}`" in clause.text for k in keys)
        before = content[clause.start : words.start]
        ruled_out = patterns.negation.search(before[-40:]) or regex.search(
            rf"(?<!\w)(?:{text.lexicon.negation})\b", words.text, regex.IGNORECASE
        )
        if not inside and not ruled_out and clause.kind != "list-item":
            found.append(words)
    return found
