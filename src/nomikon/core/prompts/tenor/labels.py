"""The labels that an answer may be, as a prompt lists them, and those it names beside the list."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache

import regex

from nomikon.core.prompts.clauses import Clause
from nomikon.core.prompts.tenor.lexicon import LEXICONS, Lexicon
from nomikon.core.prompts.tenor.shape import Label, Words
from nomikon.core.prompts.tenor.text import PromptText

LONGEST_LABEL, MOST_WORDS = 40, 4
_QUOTED = r"(?:\"[^\"\n]{1,40}\"|“[^”\n]{1,40}”|„[^“”\n]{1,40}[“”]|«\s?[^»\n]{1,40}\s?»|`[^`\n]{1,40}`|'[^'\n]{1,40}')"
QUOTED = regex.compile(_QUOTED)
_SIGNS = " \t\"'“”„«»`*_.;:()[]"
_DEFINED = regex.compile(
    r"^[ \t]*(?:[-*•–—+]|\d{1,2}[.)]|[a-z][.)])[ \t]+[*_`\"“]*(?P<name>[\p{L}\p{N}][^\n:=–—]{0,38}?)[*_`\"”]*"
    r"(?:[ \t]*(?:\:|=|[ \t][-–—][ \t])[ \t]*(?P<told>[^\n]+))?[ \t]*$"
)


class _Patterns:
    def __init__(self, words: Lexicon) -> None:
        def made(text: str) -> regex.Pattern[str]:
            return regex.compile(text, regex.IGNORECASE)

        joint = (
            rf"(?:,|;|/|\||(?<=\s|[\"”“»`'])(?:{words.either_or}|and|und|et|y|e)(?=\s|[\"“„«`']))"
        )
        self.split = made(rf"\s*{joint}\s*(?:(?:{words.either_or}|and|und|et|y)\s+)?")
        self.named = made(rf"(?<!\w)(?:{words.labels})\b[^:\n.]{{0,60}}:[ \t]*(?P<list>\S[^\n]*)")
        self.one_of = made(rf"(?<!\w)(?:{words.one_of})\b[^:\n.]{{0,50}}:[ \t]*(?P<list>\S[^\n]*)")
        self.sorted = made(
            rf"(?<!\w)(?:{words.sort_as})\s+(?P<list>[^.:\n(]{{3,120}}?\s(?:{words.either_or})\s+[^.:\n(,]{{1,30}})"
        )
        self.told = made(
            rf"(?<!\w)(?:{words.reply}|{words.only})\b[^:\n]{{0,60}}:[ \t]*"
            rf"(?P<list>[^.\n]{{1,80}}\s(?:{words.either_or})\s+[^.\n]{{1,30}})"
        )
        self.quoted = made(
            rf"(?<!\w)(?:{words.reply})\b[^.\n\"“„«`]{{0,50}}?"
            rf"(?P<list>{_QUOTED}(?:\s*(?:,|/|\||{words.either_or}|,\s*{words.either_or})\s*{_QUOTED})+)"
        )
        self.opens = made(rf"(?<!\w)(?:{words.labels})\b[^:\n]{{0,60}}:?[ \t]*$")
        self.reply = made(rf"(?<!\w)(?:{words.reply})\b")
        self.unless = made(words.unless)
        self.only = made(
            rf"(?<!\w)(?:{words.only}|exactly|genau|exactement|exactamente|{words.one_of})\b"
        )
        self.keys = made(rf"(?<!\w)(?:{words.keys}|{words.columns}|JSON)\b")


@lru_cache(maxsize=8)
def _patterns(language: str) -> _Patterns:
    return _Patterns(LEXICONS[language])


def labels_of(text: PromptText) -> tuple[list[Label], bool, list[Words]]:
    """The labels, whether the list is said to be all there is, and labels named beside it.

    Beside it are those that a clause tells the model to answer though the list has them not; where the
    clause says that none of the list fits, its label is one more of the list.
    """
    if text.lexicon is None:
        return [], False, []
    patterns = _patterns(text.language)
    clauses = list(text.bare_clauses())
    labels, at = _listed(clauses, patterns)
    if len(labels) < 2:
        return [], False, []
    known = {_plain(x.label) for x in labels}
    beside = []
    closed = False
    for clause, said in clauses:
        if patterns.only.search(said):
            closed = True
        if clause.number in at or not patterns.reply.search(said) or patterns.keys.search(said):
            continue
        for match in QUOTED.finditer(said):
            name = match.group().strip(_SIGNS)
            if _plain(name) in known or len(name.split()) > MOST_WORDS - 1 or not name:
                continue
            words = Words(
                clause.message, clause.start + match.start(), clause.start + match.end(),
                match.group(), clause.number,
            )  # fmt: skip
            if patterns.unless.search(said):
                labels.append(Label(name, "", words))
                known.add(_plain(name))
            else:
                beside.append(words)
    return labels, closed, beside


def is_listed(answer: str, labels: list[Label] | tuple[Label, ...]) -> bool:
    """Whether an answer is one of the labels; case, quotes and a full stop tell nothing apart."""
    return _plain(answer) in {_plain(x.label) for x in labels}


def _plain(text: str) -> str:
    return " ".join(text.strip(_SIGNS + "!").casefold().split())


def _listed(clauses: list[tuple[Clause, str]], patterns: _Patterns) -> tuple[list[Label], set[int]]:
    """The first list of labels there is, and the clauses it stands in.

    What is only sorted ("say if it is about the hotel or the restaurant") is one where nothing is listed.
    """
    named = (patterns.named, patterns.one_of, patterns.told, patterns.quoted)
    for some in (named, (patterns.sorted,)):
        found, at = _listed_by(clauses, some, patterns)
        if found:
            return found, at
    return [], set()


def _listed_by(
    clauses: list[tuple[Clause, str]], some: Sequence[regex.Pattern[str]], patterns: _Patterns
) -> tuple[list[Label], set[int]]:
    for place, (clause, said) in enumerate(clauses):
        for pattern in some:
            for match in pattern.finditer(said):
                start, end = match.span("list")
                if patterns.keys.search(said[:start]):
                    continue
                found = list(_split(clause, said, start, end, patterns))
                if len(found) >= 2:
                    return found, {clause.number}
        if clause.kind == "heading" or said.rstrip().endswith(":"):
            first = said.strip("# \t\n")
            if patterns.opens.search(first) and not patterns.keys.search(said):
                found = _under(clauses[place + 1 :])
                if len(found) >= 2:
                    return found, {x.words.clause or 0 for x in found} | {clause.number}
    return [], set()


def _split(clause: Clause, said: str, start: int, end: int, patterns: _Patterns) -> Iterator[Label]:
    text = said[start:end]
    # The list ends with its sentence.
    if stop := regex.search(r"[.!?](?=\s|$)", text):
        text = text[: stop.start()]
    place = 0
    parts: list[tuple[int, str]] = []
    for match in patterns.split.finditer(text):
        parts.append((place, text[place : match.start()]))
        place = match.end()
    parts.append((place, text[place:]))
    for at, part in parts:
        name, _, definition = part.partition("(")
        name = name.strip(_SIGNS)
        if not name or len(name) > LONGEST_LABEL or len(name.split()) > MOST_WORDS or "{{" in name:
            # What is no label makes the whole no list.
            if name:
                return
            continue
        begin = clause.start + start + at
        yield Label(
            name,
            definition.rstrip(") .").strip(),
            Words(clause.message, begin, begin + len(part), part, clause.number),
        )


def _under(clauses: list[tuple[Clause, str]]) -> list[Label]:
    """Labels as the items of a list, each maybe with what it means."""
    found = []
    for clause, said in clauses:
        match = _DEFINED.match(said) if clause.kind == "list-item" else None
        if match is None:
            break
        name = match["name"].strip(_SIGNS)
        if len(name.split()) > MOST_WORDS:
            break
        words = Words(clause.message, clause.start, clause.end, said, clause.number)
        found.append(Label(name, (match["told"] or "").strip(), words))
    return found
