"""What a case's inputs are by their form: a question, a list, a table, a talk and the like."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

import regex

EMPTY, TALK, DATA, TABLE, MARKUP, LIST, QUESTION, NOTE, TEXT = MANNERS = (
    "empty", "a talk", "JSON", "a table", "code or markup", "a list", "a question", "a few words",
    "running text",
)  # fmt: skip
# So many words or fewer are no sentence that could be read for what it says.
FEW = 4
_ITEM = regex.compile(r"^[ \t]*(?:[-*–•+]|\d{1,3}[.)]|[a-z][.)])[ \t]+\S", regex.MULTILINE)
_PIPED = regex.compile(r"^[^\n|]*\|[^\n|]*\|?[^\n]*$", regex.MULTILINE)
_ASKED = regex.compile(r"[?？؟]\s*[\"”»)]*\s*$", regex.MULTILINE)
_MARKUP = regex.compile(
    r"```|</[\w-]+>|^\s*(?:def |class |import |function |const |SELECT |#include)|[;{]\s*$",
    regex.MULTILINE,
)
# A word in a script without blanks stands for itself.
_WORD = regex.compile(r"[\p{Han}\p{Hiragana}\p{Katakana}\p{Thai}]|[\p{L}\p{N}][\p{L}\p{N}'’.-]*")


def manner_of(inputs: Mapping[str, Any]) -> str:
    """One of MANNERS, told from the longest input; a list of turns is a talk wherever it stands.

    >>> manner_of({'message': 'Where is my trunk?'})
    'a question'
    """
    values = [v for v in inputs.values() if v is not None]
    if any(_is_talk(v) for v in values):
        return TALK
    if not values:
        return EMPTY
    texts = [v if isinstance(v, str) else json.dumps(v, ensure_ascii=False) for v in values]
    longest = max(range(len(texts)), key=lambda i: len(texts[i]))
    if isinstance(values[longest], (list, dict)):
        return DATA
    return _of_text(texts[longest].strip())


def _is_talk(value: Any) -> bool:
    return (
        isinstance(value, list)
        and bool(value)
        and all(isinstance(v, dict) and {"role", "content"} <= set(v) for v in value)
    )


def _of_text(text: str) -> str:
    if not text:
        return EMPTY
    if text[0] in "[{" and text[-1] in "]}":
        return DATA
    lines = [x for x in text.split("\n") if x.strip()]
    if len(lines) > 1 and 2 * len(_PIPED.findall(text)) >= len(lines):
        return TABLE
    if _MARKUP.search(text):
        return MARKUP
    if len(lines) > 1 and 2 * len(_ITEM.findall(text)) >= len(lines):
        return LIST
    if _ASKED.search(text):
        return QUESTION
    return NOTE if len(_WORD.findall(text)) <= FEW else TEXT
