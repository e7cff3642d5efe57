"""Placeholders: Mustache tags in a prompt's text, found, checked and named.

Rendering itself is left to pystache; what it does not tell (the place of a
bad tag, which tags a text holds) is read here from the same grammar.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, NoReturn

from nomikon.core.errors import PlaceholderSyntaxError
from nomikon.core.prompts.messages import Message

# A name: letters, digits, underscore, hyphen, inner blanks and dots, or the
# lone dot that stands for the current item of a list.
_NAME = re.compile(r"\.|[^\s{}.=#/^!>&]+(?:[ ][^\s{}.=#/^!>&]+)*(?:\.[^\s{}.=#/^!>&]+)*")
_TAG = re.compile(r"\{\{\{(?P<raw>[^{}]*)\}\}\}|\{\{(?P<sigil>[#^/!>&=]?)(?P<body>[^{}]*)\}\}")

STEP_PREFIX = "steps."


@dataclass(frozen=True)
class Tag:
    """One Mustache tag: kind is variable, section, inverted, end or comment."""

    kind: str
    name: str
    start: int
    end: int


def line_and_column(text: str, offset: int) -> tuple[int, int]:
    """Line and column, both from 1, of a code point offset.

    >>> line_and_column('ab\\ncd', 4)
    (2, 2)
    """
    before = text[:offset]
    return before.count("\n") + 1, offset - (before.rfind("\n") + 1) + 1


# Sections in one another, at most: rendering goes into each.
DEEPEST = 20


@lru_cache(maxsize=512)
def find_tags(text: str, *, field: str | None = None) -> tuple[Tag, ...]:
    """All Mustache tags of a text in order, checked.

    Raises PlaceholderSyntaxError, with line and column, for an unclosed tag, an
    empty or unusable name, a section left open or closed out of turn, and for
    partials and delimiter changes, which are refused.

    >>> [(t.kind, t.name) for t in find_tags('{{note}}')]
    [('variable', 'note')]
    """
    tags: list[Tag] = []
    open_sections: list[Tag] = []
    position = 0
    while (found := text.find("{{", position)) >= 0:
        match = _TAG.match(text, found)
        if match is None:
            _refuse(text, found, "a placeholder is opened with {{ and not closed with }}", field)
        tag = _tag_of(text, match, field)
        tags.append(tag)
        if tag.kind in ("section", "inverted"):
            open_sections.append(tag)
            if len(open_sections) > DEEPEST:
                _refuse(text, found, f"more than {DEEPEST} sections stand in one another", field)
        elif tag.kind == "end":
            if not open_sections or open_sections[-1].name != tag.name:
                _refuse(text, found, f"{{{{/{tag.name}}}}} closes a section not open there", field)
            open_sections.pop()
        position = match.end()
    if open_sections:
        last = open_sections[-1]
        _refuse(text, last.start, f"the section {{{{#{last.name}}}}} is left open", field)
    return tuple(tags)


def _tag_of(text: str, match: re.Match[str], field: str | None) -> Tag:
    raw, sigil = match.group("raw"), match.group("sigil") or ""
    body = raw if raw is not None else match.group("body")
    name = body.strip()
    kinds = {
        "": "variable",
        "&": "variable",
        "#": "section",
        "^": "inverted",
        "/": "end",
        "!": "comment",
    }
    if sigil == ">":
        _refuse(text, match.start(), f"partials ({{{{>{name}}}}}) are not supported", field)
    if sigil == "=":
        _refuse(text, match.start(), "changing the delimiters ({{=…=}}) is not supported", field)
    if sigil != "!" and not _NAME.fullmatch(name):
        what = f"{name!r} is no usable placeholder name" if name else "a placeholder has no name"
        _refuse(text, match.start(), what, field)
    return Tag(kinds[sigil], name, match.start(), match.end())


def _refuse(text: str, offset: int, what: str, field: str | None) -> NoReturn:
    line, column = line_and_column(text, offset)
    raise PlaceholderSyntaxError(
        f"line {line}, column {column}: {what}", field=field, line=line, column=column
    )


def placeholder_names(messages: Sequence[Message]) -> list[str]:
    """Names the messages ask for, in order of first use, sections included.

    Outputs of earlier steps (`steps.<name>`) and the lone dot are not inputs
    and are left out. Raises PlaceholderSyntaxError with the message's field.

    >>> placeholder_names([Message('user', '{{a}} and {{b}}')])
    ['a', 'b']
    """
    names: dict[str, None] = {}
    for index, message in enumerate(messages):
        for tag in find_tags(message.content, field=f"messages.{index}.content"):
            if tag.kind in ("variable", "section", "inverted") and tag.name != ".":
                names.setdefault(tag.name)
    return [n for n in names if not n.startswith(STEP_PREFIX)]


def section_names(messages: Sequence[Message]) -> set[str]:
    """Names used as a section somewhere: a case may leave these out."""
    return {
        tag.name
        for m in messages
        for tag in find_tags(m.content)
        if tag.kind in ("section", "inverted")
    }


def instructions_of(messages: Sequence[Message]) -> str:
    """The prompt's own words: every message without its placeholders, worked answers left out."""
    parts = []
    for message in messages:
        if message.role == "assistant":
            continue
        text, at = [], 0
        for tag in find_tags(message.content):
            text.append(message.content[at : tag.start])
            at = tag.end
        parts.append(" ".join([*text, message.content[at:]]))
    return "\n".join(parts)


@dataclass(frozen=True)
class ColumnFit:
    """How the placeholders of a prompt and the columns of a dataset fit.

    unfilled: placeholders that no column fills (sections excepted);
    unused: columns that no placeholder uses.
    """

    unfilled: list[str]
    unused: list[str]


def fit_columns(messages: Sequence[Message], columns: Iterable[str]) -> ColumnFit:
    """Compare a prompt's placeholders with a dataset's columns.

    >>> fit_columns([Message('user', '{{a}}')], ['b'])
    ColumnFit(unfilled=['a'], unused=['b'])
    """
    names = placeholder_names(messages)
    have = list(columns)
    # A variable inside its own section ({{#note}}{{note}}{{/note}}) is as optional as it, and one
    # inside the section of a column may be a key of what that holds.
    optional = section_names(messages) | _inner_names(messages, have)
    return ColumnFit(
        unfilled=[n for n in names if column_of(n, have) is None and n not in optional],
        unused=[c for c in have if not any(column_of(n, have) == c for n in names)],
    )


def column_of(name: str, columns: Iterable[str]) -> str | None:
    """The column that a placeholder takes its value from; None where there is none.

    >>> column_of('customer.name', ['id', 'customer']), column_of('a.b', ['a.b', 'a'])
    ('customer', 'a.b')
    """
    have = set(columns)
    parts = name.split(".")
    whole = [".".join(parts[:n]) for n in range(len(parts), 0, -1)]
    return next((c for c in whole if c in have), None)


def with_renamed(messages: Sequence[Message], old: str, new: str) -> list[Message]:
    """The messages with every tag of one input under its new name, its keys by dots as well.

    >>> with_renamed([Message('user', '{{a}} {{#a.b}}{{c}}{{/a.b}} {{ab}}')], 'a', 'x')[0].content
    '{{x}} {{#x.b}}{{c}}{{/x.b}} {{ab}}'
    """
    found = []
    for message in messages:
        parts, at = [], 0
        for tag in find_tags(message.content):
            if tag.kind != "comment" and (tag.name == old or tag.name.startswith(f"{old}.")):
                told = message.content[tag.start : tag.end]
                parts += [message.content[at : tag.start], told.replace(old, new, 1)]
                at = tag.end
        text = "".join([*parts, message.content[at:]])
        found.append(Message(message.role, text, message.step))
    return found


def value_of(case: Mapping[str, Any], name: str) -> Any:
    """What a case holds under a name: an input, or by dots a key of what an input holds; else None.

    >>> value_of({'customer': {'name': 'Ada', 'since': None}}, 'customer.name')
    'Ada'
    """
    column = column_of(name, case)
    if column is None:
        return None
    value = case[column]
    for key in name.removeprefix(column).split(".")[1:]:
        if not isinstance(value, Mapping):
            return None
        value = value.get(key)
    return value


def _inner_names(messages: Sequence[Message], columns: Sequence[str]) -> set[str]:
    """Variables that stand within a section over a column and nowhere else."""
    inside: set[str] = set()
    outside: set[str] = set()
    for message in messages:
        within: list[bool] = []
        for tag in find_tags(message.content):
            if tag.kind in ("section", "inverted"):
                within.append(tag.kind == "section" and column_of(tag.name, columns) is not None)
            elif tag.kind == "end":
                within.pop()
            elif tag.kind == "variable":
                (inside if any(within) else outside).add(tag.name)
    return inside - outside


# What a prompt writes after an input, so that its end is seen.
_FENCE = re.compile(r"\}\}\s{0,3}(</[\w-]+>|\"{3,}|'{3,}|`{3,}|-{3,}|#{3,}|={3,}|>{3,}|\]{2,})")


def fence_end(text: str) -> str | None:
    """How a prompt's fence around an input ends; None where it has none.

    >>> fence_end('<note>{{note}}</note>')
    '</note>'
    """
    found = _FENCE.search(text)
    return found[1] if found else None
