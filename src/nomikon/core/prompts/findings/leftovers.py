"""Rules about what was left behind: editing marks, open brackets, characters nobody sees."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator

from nomikon.core.prompts.findings.base import NOTE, WARNING, Finding, Fix, Subject, rule

_MARKS = re.compile(
    r"\b(?:TODO|FIXME|TBD|XXX)\b|\blorem ipsum\b|\[(?:insert|your|add|fill in|placeholder)\b[^\]\n]{0,60}\]"
    r"|<(?:insert|your|add|fill in)\b[^>\n]{0,60}>|\?\?\?|\b(?:version|option|variant) [AB12]:",
    re.IGNORECASE,
)
_HIDDEN = re.compile("[\u200b\u200c\u200d\u2060\ufeff\u00ad\u202a-\u202e\u2066-\u2069\u180e]+")
_SINGLE = re.compile(r"(?<![{\w\\])\{[A-Za-z_]\w{0,40}\}(?!\})")
_JOINERS = "\u200d\u200c"
_TAG = re.compile(r"<(/?)([A-Za-z][\w-]*)>")
_MUSTACHE = re.compile(r"\{\{.*?\}\}", re.DOTALL)
_PAIRS = {"(": ")", "[": "]", "{": "}"}


@rule("editing-mark")
def _editing_mark(subject: Subject) -> Iterator[Finding]:
    told: list[tuple[int, int, int]] = []
    places = [
        *(subject.words(w) for w in subject.tenor.left_overs),
        *(
            subject.at(clause, match)
            for clause in subject.clauses
            if clause.kind != "example"
            for match in _MARKS.finditer(clause.text)
        ),
    ]
    for place in places:
        message, start, end = place["message"], place["start"], place["end"]
        if any(m == message and s < end and e > start for m, s, e in told):
            continue
        told.append((message, start, end))
        text = subject.messages[message].content[start:end]
        yield Finding("editing-mark", WARNING, f"“{text}” looks left over from editing", **place)


@rule("single-braces")
def _single_braces(subject: Subject) -> Iterator[Finding]:
    """A placeholder in single braces where others stand in double ones: it is sent as it stands."""
    if not subject.names:
        return
    for clause in subject.clauses:
        for match in _SINGLE.finditer(clause.text):
            start, end = clause.start + match.start(), clause.start + match.end()
            yield Finding(
                "single-braces",
                WARNING,
                f"{match.group()} is sent as it stands: a placeholder has two braces on each side",
                fix=Fix(start, end, "{" + match.group() + "}"),
                **subject.at(clause, match),
            )


@rule("hidden-characters")
def _hidden_characters(subject: Subject) -> Iterator[Finding]:
    for index, message in enumerate(subject.messages):
        returns = message.content.count("\r")
        if returns:
            first = message.content.index("\r")
            yield Finding(
                "hidden-characters",
                NOTE,
                f"{returns} carriage returns (line ends of another system) are sent with the text",
                index,
                None,
                first,
                first + 1,
            )
        for match in _HIDDEN.finditer(message.content):
            # Joiners hold emoji and some scripts together; between letters of ours they hide.
            around = message.content[max(0, match.start() - 1) : match.end() + 1]
            joins = set(match.group()) <= set(_JOINERS)
            if joins and any(ord(c) > 0x2FF for c in around if c not in _JOINERS):
                continue
            names = {unicodedata.name(c, f"U+{ord(c):04X}").lower() for c in match.group()}
            yield Finding(
                "hidden-characters",
                WARNING,
                f"a character nobody sees ({', '.join(sorted(names))}): models read it all the same",
                index,
                None,
                match.start(),
                match.end(),
                Fix(match.start(), match.end(), ""),
            )


_BRACKET = re.compile("[" + re.escape("".join([*_PAIRS, *_PAIRS.values()])) + "]")


@rule("unbalanced")
def _unbalanced(subject: Subject) -> Iterator[Finding]:
    for words in subject.tenor.unclosed:
        yield Finding(
            "unbalanced",
            WARNING,
            f"“{words.text}” opens an input and is never closed: where it ends cannot be told",
            **subject.words(words),
        )
    for index, message in enumerate(subject.messages):
        # Blanked, not removed: offsets stay true.
        text = _MUSTACHE.sub(lambda m: " " * len(m.group()), message.content)
        text = re.sub(r"(?m)^([ \t]*[\w]{1,3})\)", r"\1 ", text)
        text = re.sub(r"[:;=][-']?[()\[\]]", "  ", text)
        yield from _open_brackets(index, text)
        yield from _open_tags(index, text)
        if len(re.findall(r"(?m)^[ \t]*(?:```|~~~)", text)) % 2:
            at = [m.start() for m in re.finditer(r"(?m)^[ \t]*(?:```|~~~)", text)][-1]
            yield Finding(
                "unbalanced", WARNING, "a fenced block is left open", index, None, at, at + 3
            )


def _open_brackets(index: int, text: str) -> Iterator[Finding]:
    waiting: list[tuple[str, int]] = []
    # Only the brackets are looked at: most of a long text is none.
    for found in _BRACKET.finditer(text):
        place, char = found.start(), found.group()
        if char in _PAIRS:
            waiting.append((char, place))
        elif char in _PAIRS.values():
            if waiting and _PAIRS[waiting[-1][0]] == char:
                waiting.pop()
            else:
                yield Finding(
                    "unbalanced", WARNING, f"“{char}” closes nothing", index, None, place, place + 1
                )
                return
    if waiting:
        char, place = waiting[-1]
        yield Finding(
            "unbalanced", WARNING, f"“{char}” is never closed", index, None, place, place + 1
        )


def _open_tags(index: int, text: str) -> Iterator[Finding]:
    tags = list(_TAG.finditer(text))
    opened = [m.group(2) for m in tags if not m.group(1)]
    closed = [m.group(2) for m in tags if m.group(1)]
    for match in tags:
        name, shut = match.group(2), bool(match.group(1))
        # A tag that is used as a pair somewhere must be one everywhere.
        if name in closed and opened.count(name) != closed.count(name):
            what = "closes nothing" if shut else "is never closed"
            yield Finding(
                "unbalanced",
                WARNING,
                f"“{match.group()}” {what}",
                index,
                None,
                match.start(),
                match.end(),
            )
            return
