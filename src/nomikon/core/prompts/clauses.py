"""A version's messages as numbered clauses: the smallest units that are judged and changed."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import regex

from nomikon.core.prompts.blocks import RUNNING, blocks_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import find_tags


@dataclass(frozen=True)
class Clause:
    """One clause. Offsets are code points in its message's content, end exclusive.

    kind: heading, list-item, sentence, fenced (code, JSON, a table, an input with its marks), quoted,
    pair (a worked example within a text) or example (one that is a turn).
    """

    number: int
    message: int
    kind: str
    start: int
    end: int
    text: str


# An end of sentence: closing punctuation, maybe a closing quote or bracket, then a blank and what
# can begin a sentence; scripts that set no blanks end theirs with the sign alone.
_SENTENCE_END = regex.compile(r"[.!?…؟۔।]+[\"'”’»)\]]*(?=\s)|[。！？]+[”’」』）]*|:(?=[ \t]*\r?\n)")
_LINE_END = regex.compile(r"[ \t]*\r?\n")
_INITIAL = regex.compile(r"\p{Lu}\.|[zduopsmneihvag]\.")
_NUMBERED = regex.compile(r"\d+\.")
_JOINS = regex.compile(r"\s(?:and|or|und|oder|et|ou|y|o)$")
_NEXT = regex.compile(r"\s*[\"'“„«(¿¡\[*_]*(\S)")
_KEYED = regex.compile(
    r"[ \t]*[*_]{0,2}[\p{L}][\p{L}\p{N} ()/_'’-]{0,30}?[*_]{0,2}[ \t]?[:：](?![/\d])"
)
_PLACEHOLDER_LINE = regex.compile(r"[ \t]*\{\{\{?[^{}]*\}?\}\}")
# What ends so is shown whole, however long its line is: an object, a list, a table's row, code.
_SHUT = ("}", "]", "|", "`")
# A line that was not broken for want of room ends before this column.
WRAPPED = 60
_ABBREVIATIONS = frozenset(
    # English
    "e.g. i.e. etc. cf. vs. approx. no. nos. mr. mrs. ms. dr. prof. st. fig. eq. sec. art. vol. p. pp. "
    "min. max. incl. excl. dept. ca. al. jr. sr. a.m. p.m. resp. est. inc. ltd. co. corp. "
    # German
    "bzw. usw. evtl. ggf. inkl. zzgl. nr. str. abs. z.b. d.h. u.a. o.ä. vgl. bspw. sog. ca. tel. hr. fr. "
    # French
    "ex. env. mme. mlle. av. bd. réf. tél. cf. "
    # Spanish
    "ej. sra. srta. ud. uds. dña. aprox. núm. pág. tel. av. ".split()
)


def clauses_of(messages: Sequence[Message]) -> list[Clause]:
    """Parse messages into clauses, numbered through the whole version from 1.

    Deterministic. Placeholders are never split; a Mustache section that crosses
    clause borders makes them one. An assistant message, and the user message
    right before it, are worked-example turns and one clause each.
    Raises PlaceholderSyntaxError for text that is no valid Mustache.

    >>> [c.text for c in clauses_of([Message('user', 'Say yes. Be brief.')])]
    ['Say yes.', 'Be brief.']
    """
    return list(_numbered(tuple(messages)))


@lru_cache(maxsize=16)
def _numbered(messages: tuple[Message, ...]) -> tuple[Clause, ...]:
    """What reads a prompt asks for its clauses several times over: they are cut once."""
    found: list[Clause] = []
    for index, message in enumerate(messages):
        text = message.content
        followed = index + 1 < len(messages) and messages[index + 1].role == "assistant"
        example = message.role == "assistant" or (message.role == "user" and followed)
        if example and text.strip():
            find_tags(text, field=f"messages.{index}.content")
            spans = [(*_trimmed(text, 0, len(text)), "example")]
        else:
            spans = _joined_by_sections(text, _spans(text), index)
        for start, end, kind in spans:
            found.append(Clause(len(found) + 1, index, kind, start, end, text[start:end]))
    return tuple(found)


def _trimmed(text: str, start: int, end: int) -> tuple[int, int]:
    while start < end and text[start].isspace():
        start += 1
    while end > start and text[end - 1].isspace():
        end -= 1
    return start, end


def _spans(text: str) -> list[tuple[int, int, str]]:
    spans: list[tuple[int, int, str]] = []
    # Once for the whole text: looking for them block by block takes its square.
    tags = [(t.start, t.end) for t in find_tags(text)]
    small = _in_small_letters(text)
    for block in blocks_of(text):
        if block.kind == RUNNING:
            spans += _running(text, block.start, block.end, tags, small=small)
        else:
            spans.append((*_trimmed(text, block.start, block.end), block.kind))
    return spans


def _in_small_letters(text: str) -> bool:
    """Whether its sentences begin with small letters."""
    begins = regex.findall(r"(?:^|[.!?]\s+)(\p{L})", text)
    return len(begins) > 1 and sum(b.islower() for b in begins) > 0.8 * len(begins)


def _running(
    text: str, start: int, end: int, all_tags: Sequence[tuple[int, int]], *, small: bool
) -> list[tuple[int, int, str]]:
    """Lines that run on, cut where a line begins something new and where a sentence ends."""
    spans: list[tuple[int, int, str]] = []
    tags = all_tags[bisect_left(all_tags, (start, 0)) : bisect_left(all_tags, (end, 0))]
    begin = start
    cuts = _line_cuts(text, start, end, tags, small=small)
    for stop in [*cuts, end]:
        spans += _sentences(text, begin, stop, tags, small=small)
        begin = stop
    return spans


def _line_cuts(
    text: str, start: int, end: int, tags: Sequence[tuple[int, int]], *, small: bool
) -> list[int]:
    """Places of line breaks after which something new begins though no stop says so."""
    cuts = []
    for match in regex.finditer(r"\n", text[start:end]):
        at = start + match.end()
        if at >= end or any(a < at < b for a, b in tags):
            continue
        line = text[start:at].rstrip("\n").rsplit("\n", 1)[-1].strip()
        following = text[at:end].split("\n", 1)[0]
        first = _NEXT.match(following)
        if first is None or not line:
            continue
        begins = first.group(1)
        new = begins.isupper() or begins.isdigit() or (small and len(line) < 40)
        open_end = line.endswith((",", "-", "–", "(")) or _JOINS.search(line)
        if (
            _KEYED.match(following)
            or _PLACEHOLDER_LINE.fullmatch(following)
            or (new and (len(line) < WRAPPED or line.endswith(_SHUT)) and not open_end)
        ):
            cuts.append(at)
    return cuts


def _sentences(
    text: str, start: int, end: int, tags: Sequence[tuple[int, int]], *, small: bool
) -> list[tuple[int, int, str]]:
    spans = []
    begin = start
    for match in _SENTENCE_END.finditer(text, start, end):
        stop = match.end()
        if any(a < stop < b for a, b in tags):
            continue
        if not _ends_sentence(text, begin, match, end, small=small):
            continue
        if text[begin:stop].strip():
            spans.append((*_trimmed(text, begin, stop), "sentence"))
        begin = stop
    if text[begin:end].strip():
        spans.append((*_trimmed(text, begin, end), "sentence"))
    return spans


def _ends_sentence(
    text: str, begin: int, match: regex.Match[str], end: int, *, small: bool
) -> bool:
    sign = match.group(0)
    if sign[0] in "。！？":
        return True
    before = text[begin : match.end()].split()
    word = before[-1].lstrip("(\"'“‘[«„") if before else ""
    if word.lower() in _ABBREVIATIONS:
        return False
    # A single letter is an initial or a part of an abbreviation (J. Marsh, z. B.).
    if sign == "." and _INITIAL.fullmatch(word):
        return False
    # A number that begins the line is a list mark in running text; elsewhere it ends like a word.
    if sign == "." and len(before) == 1 and _NUMBERED.fullmatch(word):
        return False
    if _LINE_END.match(text, match.end(), end):
        # Prompts are written line by line: a stop at the end of a line is the end.
        return True
    following = _NEXT.match(text, match.end(), end)
    # An ellipsis or full stop before a small letter carries on ("approx. ten", "wait… then"), unless all
    # of the text is in small letters.
    lower = following is not None and following.group(1).islower()
    return not (lower and not small and sign[0] in ".…")


def _joined_by_sections(
    text: str, spans: list[tuple[int, int, str]], index: int
) -> list[tuple[int, int, str]]:
    """Join the spans that one Mustache section, opening to closing tag, runs across."""
    opened = []
    sections = []
    for tag in find_tags(text, field=f"messages.{index}.content"):
        if tag.kind in ("section", "inverted"):
            opened.append(tag.start)
        elif tag.kind == "end":
            sections.append((opened.pop(), tag.end))
    for low, high in sections:
        touched = [s for s in spans if s[0] < high and s[1] > low]
        if len(touched) > 1:
            first = spans.index(touched[0])
            joined = (touched[0][0], touched[-1][1], touched[0][2])
            spans[first : first + len(touched)] = [joined]
    return spans
