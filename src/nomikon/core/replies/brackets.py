"""Where the structures of a text that should be JSON begin and end, however it is written."""

from __future__ import annotations

import re
from dataclasses import dataclass

_PAIRS = {"{": "}", "[": "]"}
# Quotes that open a text, with those that may close it.
_QUOTES = {'"': '"', "'": "'", "“": "”", "„": "“”", "‘": "’", "«": "»"}
# What may follow the end of a text.
_AFTER = set(",:}]")


@dataclass(frozen=True)
class Span:
    """A structure from its first bracket on. closed: it has its last one, too."""

    start: int
    end: int
    closed: bool


def structures(text: str) -> list[Span]:
    """The outermost structures of a text, in order; the last one may be left open.

    Brackets within texts do not count. A quote ends a text only where what follows can follow
    one, so that quotes within a text that were not escaped are none.
    """
    found: list[Span] = []
    at = 0
    while at < len(text):
        if text[at] in _PAIRS and _begins(text, at):
            end = _end_of(text, at)
            if end is None:
                found.append(Span(at, len(text), False))
                break
            found.append(Span(at, end, True))
            at = end
        else:
            at += 1
    return found


def _begins(text: str, at: int) -> bool:
    """Whether a bracket begins a structure: a placeholder, a mark and a link do not."""
    rest = text[at + 1 : at + 400].lstrip()
    if not rest:
        return True
    if text[at] == "{":
        if text.startswith("{{", at):
            return False
        # A key, quoted or not, or an end.
        head = rest[:80]
        return rest[0] in "\"'“„‘«}/#" or (
            head.split(":")[0].strip().isidentifier() and ":" in head
        )
    return rest[0] in "\"'“„‘«{[]/#-0123456789" or rest[:4] in (
        "true",
        "null",
        "fals",
        "None",
        "True",
    )


def _end_of(text: str, start: int) -> int | None:
    """The place after the bracket that closes the one at `start`; None where none does."""
    stack = [_PAIRS[text[start]]]
    at = start + 1
    while at < len(text):
        char = text[at]
        if char in _QUOTES and _opens_text(text, at):
            end = _end_of_text(text, at)
            if end is None:
                return None
            at = end
            continue
        if text.startswith("//", at) and text[at - 1] in " \t\n,{[":
            at = text.find("\n", at)
            if at < 0:
                return None
        elif text.startswith("/*", at):
            at = text.find("*/", at)
            if at < 0:
                return None
            at += 1
        elif char in _PAIRS:
            stack.append(_PAIRS[char])
        elif char in "}]":
            while stack and stack[-1] != char:
                # A bracket that was forgotten inside: what holds it decides.
                stack.pop()
            if not stack:
                return at + 1
            stack.pop()
            if not stack:
                return at + 1
        at += 1
    return None


# So far around a mark is looked for what decides about it: a long reply is read in one pass.
_NEAR = 200


def _opens_text(text: str, at: int) -> bool:
    before = text[max(0, at - _NEAR) : at].rstrip()[-1:]
    return before in "{[,:" or before == "" or (before in "}]" and text[at] == '"')


def _end_of_text(text: str, start: int) -> int | None:
    closing = _QUOTES[text[start]] + ('"' if text[start] in "“„" else "")
    ends = re.compile(rf"\\|[{re.escape(closing)}]")
    at = start + 1
    while found := ends.search(text, at):
        at = found.start()
        if text[at] == "\\":
            at += 2
            continue
        near = text[at + 1 : at + 1 + _NEAR]
        after = near.lstrip()
        if not after or after[0] in _AFTER or after.startswith(("//", "/*", "#")):
            if not after.startswith(",") or _goes_on(after[1:]):
                return at + 1
        elif after[0] in _QUOTES and "\n" in near[: near.find(after[0])]:
            # A comma was forgotten between two lines.
            return at + 1
        at += 1
    return None


def _goes_on(rest: str) -> bool:
    """Whether what follows a comma can follow one in a structure, not in a sentence."""
    rest = rest.lstrip()
    return not rest or rest[0] in '"\'“„‘«{[}]/#-0123456789' or rest[:4] in (
        "true", "fals", "null", "True", "Fals", "None",
    ) or rest.split(":")[0].strip().isidentifier()  # fmt: skip
