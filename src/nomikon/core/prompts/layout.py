"""Clauses that say the same in another layout: a list that was renumbered, a list in place of a sentence."""

from __future__ import annotations

import regex

from nomikon.core.prompts.clauses import Clause

RENUMBERED = "another number in its list"
TO_LIST, TO_SENTENCE = RESHAPED = ("a sentence becomes a list", "a list becomes a sentence")
_MARK = regex.compile(r"(?m)^[ \t]*(?P<mark>[-*•–—+▪◦‣]|\(?\d{1,3}[.)]|[a-z][.)]|#{1,6})[ \t]+")
_NUMBER = regex.compile(r"\d")


def layout_words(before: Clause, after: Clause) -> str:
    """What differs where only the layout does, in words; "" where a word or a stop does."""
    if before.text == after.text or {before.kind, after.kind} & {
        "fenced",
        "pair",
        "example",
        "quoted",
    }:
        return ""
    marks = [[m["mark"] for m in _MARK.finditer(c.text)] for c in (before, after)]
    plain = [_MARK.sub("", c.text) for c in (before, after)]
    one = [" ".join(p.split()) for p in plain]
    if one[0] == one[1]:
        return _marks(marks) if marks[0] != marks[1] else "blanks or line breaks differ"
    lists = [len(m) for m in marks]
    if max(lists) >= 2 and min(lists) == 0 and _bare(plain[0]) == _bare(plain[1]):
        return TO_SENTENCE if lists[0] else TO_LIST
    return ""


def _marks(marks: list[list[str]]) -> str:
    old, new = marks
    if not old:
        return "now an item of a list"
    if not new:
        return "no longer an item of a list"
    if all(_NUMBER.search(m) for m in (*old, *new)):
        return RENUMBERED
    return f"the mark of its list: {old[0]} becomes {new[0]}"


def _bare(text: str) -> list[str]:
    """Its words in order, without what joins them in a sentence and not in a list."""
    words = regex.findall(r"\{\{.*?\}\}|[\p{L}\p{N}]+(?:['’\-.][\p{L}\p{N}]+)*", text.casefold())
    return [w for w in words if w not in ("and", "und", "et", "y", "or", "oder", "ou", "o")]
