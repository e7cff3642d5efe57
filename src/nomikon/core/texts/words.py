"""Texts as measures read them: spellings that mean the same, words and sentences in any script."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable
from functools import lru_cache

import regex

# Signs that are one and the same to a reader, whatever a keyboard or a program makes of them.
_SAME = str.maketrans(
    {
        **dict.fromkeys("‘’‚‛′＇", "'"),
        **dict.fromkeys("“”„‟″«»＂", '"'),
        **dict.fromkeys("‐‑‒–—―", "-"),
        **dict.fromkeys("\u00ad\u200b\u200c\u200d\u2060\ufeff", ""),
        "…": "...",
    }
)
# Scripts that part words by nothing: every character counts as one.
_UNPARTED = r"\p{Han}\p{Hiragana}\p{Katakana}\p{Thai}\p{Lao}\p{Khmer}\p{Myanmar}"
_WORD = regex.compile(
    rf"[{_UNPARTED}]\p{{M}}*|[[\p{{L}}\p{{M}}\p{{N}}]--[{_UNPARTED}]]+(?:['’][[\p{{L}}\p{{M}}]--[{_UNPARTED}]]+)*",
    regex.V1,
)
_ALONE = regex.compile(rf"[{_UNPARTED}]\p{{M}}*", regex.V1)
_ITEM = regex.compile(r"^[ \t]*(?:[-*+•◦▪–]|\(?\d{1,3}[.)]|[a-z][.)])[ \t]+(?=\S)")
_HEADING = regex.compile(r"^#{1,6}[ \t]+\S")
_FENCE = regex.compile(r"^[ \t]{0,3}(?P<mark>`{3,}|~{3,})(?P<rest>[^\n]*)$")
ADDRESS = regex.compile(r"(?:https?://|www\.|mailto:)[^\s<>\"“”]+", regex.IGNORECASE)


@lru_cache(maxsize=4096)
def folded(text: str, ignore_case: bool = False) -> str:
    """A text in which what reads the same is the same: composed letters, plain quotes and dashes,
    one blank for any run of blanks, nothing for signs that cannot be seen.

    >>> folded("Don’t\\u00a0 stop")
    "Don't stop"
    """
    plain = text if text.isascii() else unicodedata.normalize("NFC", text).translate(_SAME)
    joined = " ".join(plain.split())
    return unicodedata.normalize("NFC", joined.casefold()) if ignore_case else joined


def words_in(text: str) -> list[str]:
    """Words in order, lower case; in scripts that part none, every character.

    >>> words_in("L'été, 海港 don’t")
    ["l'été", '海', '港', "don't"]
    """
    return [w.replace("’", "'") for w in _WORD.findall(unicodedata.normalize("NFC", text).lower())]


def stands_alone(word: str) -> bool:
    """Whether a word is a character of a script that parts no words."""
    return bool(_ALONE.fullmatch(word))


def count_runs(text: str) -> int:
    """Runs of anything but blanks; in scripts that part no words every character counts.

    >>> count_runs('one two, 海港')
    4
    """
    # Most texts hold no such character, which is told much faster than by counting.
    if text.isascii() or not _ALONE.search(text):
        return len(text.split())
    count = 0
    for run in text.split():
        rest, alone = _ALONE.subn(" ", run)
        count += alone + (
            1 if not alone else sum(1 for r in rest.split() if regex.search(r"\w", r))
        )
    return count


def newlines(text: str) -> str:
    """All ends of lines as line feeds."""
    return (
        text.replace("\r\n", "\n")
        .replace("\r", "\n")
        .replace("\u2028", "\n")
        .replace("\u2029", "\n\n")
    )


def without_code(text: str) -> str:
    """A Markdown text without its fenced blocks and inline code."""
    kept: list[str] = []
    mark = ""
    for line in newlines(text).split("\n"):
        found = _FENCE.match(line)
        if mark:
            if found and found["mark"].startswith(mark) and not found["rest"].strip():
                mark = ""
            continue
        if found and "`" not in found["rest"]:
            mark = found["mark"]
            continue
        kept.append(regex.sub(r"(`+)(?!`)[^`\n]+\1", "``", line))
    return "\n".join(kept)


def first_fence(text: str) -> str | None:
    """What stands in the first fenced block; None where there is none that is closed."""
    lines = newlines(text).split("\n")
    for start, line in enumerate(lines):
        opened = _FENCE.match(line)
        if opened is None or "`" in opened["rest"]:
            continue
        for end in range(start + 1, len(lines)):
            closed = _FENCE.match(lines[end])
            if closed and closed["mark"].startswith(opened["mark"]) and not closed["rest"].strip():
                return "\n".join(lines[start + 1 : end])
        return None
    return None


def whole_fence(text: str) -> str | None:
    """What stands in a fence that is all there is of a text, blanks apart; else None."""
    lines = newlines(text).strip().split("\n")
    opened, closed = _FENCE.match(lines[0]), _FENCE.match(lines[-1])
    if len(lines) < 2 or opened is None or closed is None or closed["rest"].strip():
        return None
    if not closed["mark"].startswith(opened["mark"]):
        return None
    return "\n".join(lines[1:-1])


# Of the languages whose abbreviations and signs are told apart, by the script they are written in.
_BY_SCRIPT = (
    (regex.compile(r"[\p{Hiragana}\p{Katakana}]"), "ja"),
    (regex.compile(r"\p{Han}"), "zh"),
    (regex.compile(r"\p{Devanagari}"), "hi"),
    (regex.compile(r"\p{Arabic}"), "ar"),
    (regex.compile(r"\p{Cyrillic}"), "ru"),
    (regex.compile(r"\p{Greek}"), "el"),
    (regex.compile(r"\p{Armenian}"), "hy"),
)
# Quoted speech between two full stops is no sentence's end of its own; these close one.
_AFTER_END = regex.compile(r"(?<=[。！？．])(?=[^」』）”])")
# “at 5 p.m. He …”: the splitter takes a clock's abbreviation for no end.
_CLOCK = regex.compile(r"(?<=\b[ap]\.\s?m\.)\s+(?=[A-Z])")


def sentences_in(text: str, language: str = "") -> list[str]:
    """Sentences in order, by sentencex (abbreviations and signs of many languages).

    A list item and a heading is a sentence of its own, and so is the end of a paragraph.
    language: ISO 639-1; else by the script, English where that is Latin.

    >>> sentences_in("Dr. Lee left at 5 p.m. He was late.\\n- one\\n- two")
    ['Dr. Lee left at 5 p.m.', 'He was late.', 'one', 'two']
    """
    from sentencex import segment

    code = language or next((c for found, c in _BY_SCRIPT if found.search(text)), "en")
    sentences: list[str] = []
    for block in _blocks(newlines(text)):
        for piece in _rejoined(segment(code, block)):
            for part in _CLOCK.split(piece):
                sentences += [s for p in _AFTER_END.split(part) if (s := p.strip())]
    # A piece without a letter or digit is the rest of a mark, no sentence.
    return [s for s in sentences if regex.search(r"[\p{L}\p{N}]", s)]


# Abbreviations before a number (approx. 40, Nr. 7) that the splitter takes for an end.
_BEFORE_NUMBER = regex.compile(
    r"\b(?:approx|ca|circa|no|nr|nos|fig|vol|pp?|art|tel|ext|est|min|max|sec|ch|bd|s|núm|n)\.\s*$",
    regex.IGNORECASE,
)


def _rejoined(pieces: Iterable[str]) -> list[str]:
    found: list[str] = []
    for piece in pieces:
        if found and _BEFORE_NUMBER.search(found[-1]) and piece[:1].isdigit():
            found[-1] += piece
        else:
            found.append(piece)
    return found


def _blocks(text: str) -> list[str]:
    """Paragraphs, list items and headings, each by itself; lines of a paragraph joined."""
    blocks: list[str] = []
    joined: list[str] = []
    for line in [*text.split("\n"), ""]:
        item = _ITEM.match(line)
        if not line.strip() or item or _HEADING.match(line):
            if joined:
                blocks.append(" ".join(joined))
            joined = []
        if item:
            joined = [line[item.end() :].strip()]
        elif _HEADING.match(line):
            blocks.append(line.lstrip("# \t"))
        elif line.strip():
            joined.append(line.strip())
    return blocks
