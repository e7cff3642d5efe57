"""Requests for a JSON list of things: what each is to hold, and material to make them from."""

from __future__ import annotations

import re
from dataclasses import dataclass

_NUMBER_WORDS = {
    "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8,
    "nine": 9, "ten": 10, "twelve": 12, "twenty": 20,
}  # fmt: skip
_NUMBER = rf"(\d{{1,3}}|{'|'.join(_NUMBER_WORDS)})"
_KEY = re.compile(r"[\"“`]([A-Za-z][\w .-]{0,40})[\"”`]\s*(\([^()]*(?:\([^()]*\)[^()]*)*\))?")
_UNDER = re.compile(r"[^.\n\"“`]{0,20}\bunder\b[^\"“`\n]{0,20}[\"“`]([\w .-]+)[\"”`]", re.I)
_LIST = re.compile(r"\b(?:list|array)\b", re.I)


@dataclass(frozen=True)
class ListForm:
    """outer: the key that holds the list, "" for a bare one. keys: of each item, with its note."""

    outer: str
    keys: list[tuple[str, str]]


def list_form(text: str) -> ListForm | None:
    """The form of a reply that is a JSON list of objects, as the request words it."""
    for paragraph in re.split(r"\n\s*\n", text):
        if "JSON" in paragraph and (found := _form_in(paragraph)):
            return found
    return None


def further_form(text: str, key: str) -> ListForm | None:
    """A second list that the same reply shall hold, told by a key of its items."""
    for paragraph in re.split(r"\n\s*\n", text):
        found = None if "JSON" in paragraph else _form_in(paragraph)
        if found and found.outer and any(key in k.lower() for k, _ in found.keys):
            return found
    return None


def _form_in(paragraph: str) -> ListForm | None:
    word = _LIST.search(paragraph)
    if not word:
        return None
    before = _KEY.findall(paragraph[: word.start()])
    rest = paragraph[word.end() :]
    under = _UNDER.match(rest)
    after = _KEY.findall(rest[under.end() :] if under else rest)
    if len(after) < 2:
        return None
    outer = under.group(1) if under else before[-1][0] if before else ""
    return ListForm(outer, [(k, n.strip("()")) for k, n in after])


def how_many(text: str, noun: str, default: int) -> int:
    """The number of things asked for; of a range the middle."""
    between = re.search(
        rf"{_NUMBER}\s+(?:to|or|-|–)\s+{_NUMBER}\s+(?:\w+\s+){{0,3}}(?:{noun})", text, re.I
    )
    if between:
        return (_number(between.group(1)) + _number(between.group(2))) // 2
    exact = re.search(rf"{_NUMBER}\s+(?:\w+\s+){{0,3}}(?:{noun})", text, re.I)
    return _number(exact.group(1)) if exact else default


def _number(text: str) -> int:
    return _NUMBER_WORDS.get(text.lower(), 0) or int(text)


def section(text: str, heading: str) -> str:
    """What stands under a heading line, up to the next one."""
    found = re.search(
        rf"^[ \t#*]*[^\n:]*\b(?:{heading})\b[^\n:]*:[ \t*]*\n?(.*?)(?=^\s*$\s*^[^\n:]{{1,60}}:[ \t]*$|\Z)",
        text,
        re.I | re.M | re.S,
    )
    return found.group(1).strip() if found else ""


def bullets(text: str) -> list[str]:
    """List items of a section."""
    return [m.group(1).strip() for m in re.finditer(r"^[ \t]*[-*•][ \t]+(.+)$", text, re.M)]
