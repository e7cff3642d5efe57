"""The labels that an answer may be, as a prompt lists them, and those it names beside the list."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache

import regex

from nomikon.core.prompts.clauses import Clause
from nomikon.core.prompts.tenor.label_ways import A_QUOTED, QUOTED, Ways, made
from nomikon.core.prompts.tenor.lexicon import LEXICONS, Lexicon
from nomikon.core.prompts.tenor.shape import Label, Words
from nomikon.core.prompts.tenor.text import PromptText

LONGEST_LABEL, MOST_WORDS = 40, 4
_SIGNS = " \t\"'“”„«»`*_.;:()[]"
_CAPITALS = regex.compile(r"\p{Lu}[\p{Lu}\d_-]*(?:\s\p{Lu}[\p{Lu}\d_-]+)*(?=\s|$)")
_DEFINED = regex.compile(
    r"^[ \t]*(?:[-*•–—+]|\d{1,2}[.)]|[a-z][.)])[ \t]+[*_`\"“]*(?P<name>[\p{L}\p{N}][^\n:=–—]{0,38}?)[*_`\"”]*"
    r"(?:[ \t]*(?:\:|=|[ \t][-–—][ \t])[ \t]*(?P<told>[^\n]+))?[ \t]*$"
)


class _Patterns:
    def __init__(self, words: Lexicon) -> None:
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
            rf"(?P<list>{A_QUOTED}(?:\s*(?:,|/|\||{words.either_or}|,\s*{words.either_or})\s*{A_QUOTED})+)"
        )
        self.ways = Ways(words)
        self.one_word = made(rf"(?<!\w)(?:{words.one_word})\b")
        self.last = made(rf"(?<=\S)\s+(?:{words.only})$")
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
        if patterns.only.search(said) or patterns.one_word.search(said):
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
    found, at = _listed_by(clauses, named, patterns, under=True)
    if found:
        return found, at
    # The surer ways first. Most clauses have none of the signs, and are passed over quickly.
    for some, signs in (
        ((patterns.sorted,), ""),
        ((patterns.ways.bracketed, patterns.ways.chosen), "([{"),
        ((patterns.ways.dashed,), "-–—"),
        ((patterns.ways.slashed,), "/"),
        ((patterns.ways.plainly, patterns.ways.in_capitals, patterns.ways.all_there_is), ""),
        ((patterns.ways.piped,), "|"),
    ):
        likely = [c for c in clauses if not signs or any(s in c[1] for s in signs)]
        found, at = _listed_by(likely, some, patterns)
        if found:
            return found, at
    if found := list(_provided(clauses, patterns)):
        return found, {x.words.clause or 0 for x in found}
    if any(patterns.ways.alone.search(said) for _, said in clauses) and not any(
        patterns.ways.explaining.search(said) for _, said in clauses
    ):
        return _listed_by(clauses, (patterns.ways.loose,), patterns)
    return [], set()


def _provided(clauses: Sequence[tuple[Clause, str]], patterns: _Patterns) -> Iterator[Label]:
    """Labels told one by one with what each is for, in a clause that says what to answer."""
    for clause, said in clauses:
        found = {m["name"].strip(_SIGNS): m for m in patterns.ways.provided.finditer(said)}
        if len(found) < 2 or not patterns.reply.search(said) or patterns.keys.search(said):
            continue
        for name, m in found.items():
            start, end = m.span("name")
            words = Words(
                clause.message, clause.start + start, clause.start + end, m["name"], clause.number
            )
            yield Label(name, "", words)
        return


def _listed_by(
    clauses: list[tuple[Clause, str]],
    some: Sequence[regex.Pattern[str]],
    patterns: _Patterns,
    *,
    under: bool = False,
) -> tuple[list[Label], set[int]]:
    """under: whether a line that announces labels is followed by them as items."""
    for place, (clause, said) in enumerate(clauses):
        for pattern in some:
            for match in pattern.finditer(said):
                start, end = match.span("list")
                if patterns.keys.search(said[:start]):
                    continue
                found = list(_split(clause, said, start, end, patterns))
                if len(found) >= 2:
                    return found, {clause.number}
        if under and (clause.kind == "heading" or said.rstrip().endswith(":")):
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
    # Where they are quoted, what is not is no label any more: "…" or "…"; one word.
    quoted = bool(QUOTED.match(parts[0][1].strip()))
    for at, part in parts:
        if quoted and not QUOTED.search(part):
            return
        name, _, definition = part.partition("(")
        name = patterns.last.sub("", name.strip(_SIGNS))
        if parts[0][1].strip().isupper() and (capitals := _CAPITALS.match(name)):
            name = capitals.group()
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
