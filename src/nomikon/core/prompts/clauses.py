"""A version's messages as numbered clauses: the smallest units that are judged and changed."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass

from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import find_tags


@dataclass(frozen=True)
class Clause:
    """One clause. Offsets are code points in its message's content, end exclusive.

    kind: heading, list-item, sentence, fenced, quoted or example.
    """

    number: int
    message: int
    kind: str
    start: int
    end: int
    text: str


_FENCE = re.compile(r"^[ \t]*(```+|~~~+)")
_HEADING = re.compile(r"^[ ]{0,3}#{1,6}[ \t]+\S")
_ITEM = re.compile(r"^[ \t]*(?:[-*+•]|\d{1,3}[.)]|[a-z][.)]|[A-Z]\))[ \t]+\S")
_QUOTE = re.compile(r"^[ \t]*>")
_RULE = re.compile(r"^[ \t]*(?:[-=_*][ \t]*){3,}$")
_INDENTED = re.compile(r"^[ \t]+\S")

# An end of sentence: closing punctuation, maybe a closing quote or bracket,
# then a blank, then what can begin a sentence.
# A colon at the end of a line closes a clause too: what follows is a list or a block.
_SENTENCE_END = re.compile(r"[.!?…]+[\"'”’)\]]*(?=\s)|:(?=[ \t]*\r?\n)")
_LINE_END = re.compile(r"[ \t]*\r?\n")
_NEXT = re.compile(r"\s*(\S)")
_ABBREVIATIONS = {
    "e.g.",
    "i.e.",
    "etc.",
    "cf.",
    "vs.",
    "approx.",
    "no.",
    "nos.",
    "mr.",
    "mrs.",
    "ms.",
    "dr.",
    "prof.",
    "st.",
    "fig.",
    "eq.",
    "sec.",
    "art.",
    "vol.",
    "p.",
    "pp.",
    "min.",
    "max.",
    "incl.",
    "dept.",
    "ca.",
    "al.",
    "jr.",
    "sr.",
    "a.m.",
    "p.m.",
    "resp.",
}


def clauses_of(messages: Sequence[Message]) -> list[Clause]:
    """Parse messages into clauses, numbered through the whole version from 1.

    Deterministic. Placeholders are never split; a Mustache section that crosses
    clause borders makes them one. An assistant message, and the user message
    right before it, are worked-example turns and one clause each.
    Raises PlaceholderSyntaxError for text that is no valid Mustache.

    >>> [c.text for c in clauses_of([Message('user', 'Say yes. Be brief.')])]
    ['Say yes.', 'Be brief.']
    """
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
    return found


def _trimmed(text: str, start: int, end: int) -> tuple[int, int]:
    while start < end and text[start].isspace():
        start += 1
    while end > start and text[end - 1].isspace():
        end -= 1
    return start, end


def _lines(text: str) -> list[tuple[int, int]]:
    return [(m.start(), m.end()) for m in re.finditer(r"[^\n]*\n|[^\n]+", text)]


def _spans(text: str) -> list[tuple[int, int, str]]:
    lines = _lines(text)
    # Once for the whole text: looking for them paragraph by paragraph takes its square.
    tags = [(t.start, t.end) for t in find_tags(text)]
    spans: list[tuple[int, int, str]] = []
    index = 0

    def take_while(first: int, accept: re.Pattern[str], also: bool = False) -> int:
        last = first
        while last + 1 < len(lines):
            line = text[slice(*lines[last + 1])]
            if not accept.match(line) or (also and _ITEM.match(line)):
                break
            last += 1
        return last

    while index < len(lines):
        start, end = lines[index]
        line = text[start:end]
        last = index
        if not line.strip() or _RULE.match(line):
            index += 1
            continue
        if fence := _FENCE.match(line):
            closing = re.compile(r"^[ \t]*" + re.escape(fence.group(1)) + r"[ \t]*$")
            last = next(
                (
                    i
                    for i in range(index + 1, len(lines))
                    if closing.match(text[slice(*lines[i])].rstrip("\n"))
                ),
                len(lines) - 1,
            )
            kind = "fenced"
        elif _HEADING.match(line):
            kind = "heading"
        elif _ITEM.match(line):
            last = take_while(index, _INDENTED, also=True)
            kind = "list-item"
        elif _QUOTE.match(line):
            last = take_while(index, _QUOTE)
            kind = "quoted"
        else:
            while last + 1 < len(lines) and _continues(text[slice(*lines[last + 1])]):
                last += 1
            spans.extend(_sentences(text, start, lines[last][1], tags))
            index = last + 1
            continue
        spans.append((*_trimmed(text, start, lines[last][1]), kind))
        index = last + 1
    return spans


def _continues(line: str) -> bool:
    """Whether a line carries on the paragraph above it."""
    starts_new = _FENCE.match(line) or _HEADING.match(line) or _ITEM.match(line)
    return (
        bool(line.strip()) and not starts_new and not _QUOTE.match(line) and not _RULE.match(line)
    )


def _sentences(
    text: str, start: int, end: int, all_tags: Sequence[tuple[int, int]]
) -> list[tuple[int, int, str]]:
    spans = []
    begin = start
    tags = all_tags[bisect_left(all_tags, (start, 0)) : bisect_left(all_tags, (end, 0))]
    for match in _SENTENCE_END.finditer(text, start, end):
        stop = match.end()
        if any(a < stop < b for a, b in tags) or not _ends_sentence(text, begin, match, end):
            continue
        if text[begin:stop].strip():
            spans.append((*_trimmed(text, begin, stop), "sentence"))
        begin = stop
    if text[begin:end].strip():
        spans.append((*_trimmed(text, begin, end), "sentence"))
    return spans


def _ends_sentence(text: str, begin: int, match: re.Match[str], end: int) -> bool:
    before = text[begin : match.end()].split()
    word = before[-1].lstrip("(\"'“‘[") if before else ""
    if word.lower() in _ABBREVIATIONS:
        return False
    # A single capital is an initial (J. Marsh); a lone number is a list mark in running text.
    if match.group(0) == "." and re.fullmatch(r"[A-Z]\.|\d+\.", word):
        return False
    if _LINE_END.match(text, match.end(), end):
        # Prompts are written line by line: a stop at the end of a line is the end.
        return True
    following = _NEXT.match(text, match.end(), end)
    # An ellipsis or full stop before a small letter carries on ("approx. ten", "wait… then").
    return not (following and following.group(1).islower() and match.group(0)[0] in ".…")


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
