"""The blocks of a prompt's text: headings, items, tables, examples, inputs between marks, running lines.

People write prompts as they write notes: with and without Markdown, with bullets of any kind, keys
before colons, lines without stops. A block is one clause, but for running lines, which hold several.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import regex

HEADING, ITEM, FENCED, QUOTED, PAIR, RUNNING = (
    "heading", "list-item", "fenced", "quoted", "pair", "running",
)  # fmt: skip


@dataclass(frozen=True)
class Block:
    """start, end: code points, end exclusive; blanks at the ends may be in it."""

    kind: str
    start: int
    end: int


@dataclass(frozen=True)
class Pair:
    """An input and its answer within one text: both under keys, or on the two sides of an arrow.

    answer_start, answer_end: where the answer stands; both the same where it is still to come.
    """

    start: int
    end: int
    given: str
    answer_start: int
    answer_end: int


FENCE = regex.compile(r"^[ \t]*(```+|~~~+)")
_HASH = regex.compile(r"^[ ]{0,3}#{1,6}[ \t]+\S")
_BOLD = regex.compile(r"^[ \t]*(?:\*\*|__)[^*_\n]{1,80}(?:\*\*|__):?[ \t]*$")
_CAPITALS = regex.compile(r"^[ \t]*[\p{Lu}][\p{Lu}\p{N} &/'’-]{2,60}[ \t]*$")
# Signs that begin an item: dashes, dots, ticks, pictures, numbers and letters with a bracket or stop.
ITEM_START = regex.compile(
    r"^[ \t]*(?:[-*+•·–—▪▫◦‣➢➤►▸✓✔✗✘❌✅☑→]|\p{Extended_Pictographic}\N{VARIATION SELECTOR-16}?"
    r"|\(?\d{1,3}[.)]|\(\d{1,3}\)|[a-z][.)]|\([a-z]\)|[A-Z]\))[ \t]+\S"
)
_QUOTE = regex.compile(r"^[ \t]*>")
_RULE = regex.compile(r"^[ \t]*(?:[-=_*~][ \t]*){3,}$")
_INDENTED = regex.compile(r"^[ \t]+\S")
_TABLE = regex.compile(r"^[ \t]*\|.*\|[ \t]*$")
_ONLY_INPUT = regex.compile(r"^[ \t]*\{\{\{?[^{}]*\}?\}\}[ \t]*$")
_LABEL = regex.compile(r"^[ \t]*[\p{L}][^\n.!?:]{0,40}[::：][ \t]*$")
_LABEL_AND_MARK = regex.compile(
    r"^[ \t]*[\p{L}][^\n.!?:]{0,40}[:：][ \t]*(?P<mark>\"\"\"|'''|<<<+|###+|\[\[|<[\p{L}][\w-]*>|[-=*_~]{3,})[ \t]*$"
)
_OPENS = {
    '"""': r'^[ \t]*"""[ \t]*$', "'''": r"^[ \t]*'''[ \t]*$", "<<<": r"^[ \t]*>>>+[ \t]*$",
    "###": r"^[ \t]*###+[ \t]*$", "[[": r"^[ \t]*\]\][ \t]*$",
}  # fmt: skip
_TAG = regex.compile(r"^[ \t]*<(?P<name>[\p{L}][\w-]*)>[ \t]*$")
_LONE_TAG = regex.compile(r"^[ \t]*</?[\p{L}][\w-]*>[ \t]*$")
_KEYED = regex.compile(
    r"^[ \t]*(?P<key>[\p{L}][\p{L}\p{N} /_-]{0,30}?)[ \t]*(?:[:：]|->|→|=>)[ \t]*(?P<said>.*)$"
)
_ARROW = regex.compile(r"^[ \t]*(?P<given>\S[^\n]*?)[ \t]*(?:->|→|=>)[ \t]*(?P<said>[^\n]*)$")
# A block between marks is looked for so many lines on.
MOST_LINES = 2_000


class _Lines:
    """The lines of a text with their places."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.spans = [(m.start(), m.end()) for m in regex.finditer(r"[^\n]*\n|[^\n]+", text)]
        self.texts = [text[a:b].rstrip("\r\n") for a, b in self.spans]

    def block(self, kind: str, first: int, last: int) -> Block:
        return Block(kind, self.spans[first][0], self.spans[last][1])


def blocks_of(text: str) -> list[Block]:
    """The blocks of a text, in order; what stands between them is layout.

    Deterministic and linear in the length of the text.
    """
    lines = _Lines(text)
    pairs = _pair_lines(lines)
    found: list[Block] = []
    index = 0
    while index < len(lines.texts):
        line = lines.texts[index]
        last = index
        if index in pairs:
            last = pairs[index]
            found.append(lines.block(PAIR, index, last))
        elif (until := _input(lines, index)) is not None:
            last = until
            found.append(lines.block(FENCED, index, last))
        elif not line.strip() or _RULE.match(line) or _LONE_TAG.match(line):
            pass
        elif (whole := _whole(lines, index)) is not None:
            kind, last = whole
            found.append(lines.block(kind, index, last))
        else:
            last = index
            while (
                last + 1 < len(lines.texts) and last + 1 not in pairs and _runs_on(lines, last + 1)
            ):
                last += 1
            found.append(lines.block(RUNNING, index, last))
        index = last + 1
    return found


def _whole(lines: _Lines, index: int) -> tuple[str, int] | None:
    """Kind and last line of a block that begins here; None where lines run on."""
    line = lines.texts[index]
    if fence := FENCE.match(line):
        closing = regex.compile(r"^[ \t]*" + regex.escape(fence.group(1)) + r"[ \t]*$")
        last = _next(lines, index + 1, closing)
        # One that never closes is layout: what comes after it is read as it stands.
        return None if last is None else (FENCED, last)
    if (last := _json(lines, index)) is not None:
        return FENCED, last
    if _TABLE.match(line):
        return FENCED, _while(lines, index, _TABLE)
    if _HASH.match(line) or _BOLD.match(line) or _CAPITALS.match(line):
        return HEADING, index
    if ITEM_START.match(line):
        last = index
        while last + 1 < len(lines.texts):
            following = lines.texts[last + 1]
            if not _INDENTED.match(following) or ITEM_START.match(following):
                break
            last += 1
        return ITEM, last
    if _QUOTE.match(line):
        return QUOTED, _while(lines, index, _QUOTE)
    return None


def _runs_on(lines: _Lines, index: int) -> bool:
    """Whether a line carries on the lines above it."""
    line = lines.texts[index]
    return (
        bool(line.strip())
        and not _RULE.match(line)
        and not _LONE_TAG.match(line)
        and not FENCE.match(line)
        and _whole(lines, index) is None
        and _input(lines, index) is None
    )


def _while(lines: _Lines, index: int, accept: regex.Pattern[str]) -> int:
    while index + 1 < len(lines.texts) and accept.match(lines.texts[index + 1]):
        index += 1
    return index


def _next(lines: _Lines, index: int, accept: regex.Pattern[str]) -> int | None:
    stop = min(len(lines.texts), index + MOST_LINES)
    return next((i for i in range(index, stop) if accept.match(lines.texts[i])), None)


def _input(lines: _Lines, index: int) -> int | None:
    """The last line of an input with its marks and its label, where one begins here."""
    line = lines.texts[index]
    label = bool(_LABEL.match(line))
    at = index + 1 if label else index
    if at >= len(lines.texts):
        return None
    first = lines.texts[at]
    if not label and (beside := _LABEL_AND_MARK.match(line)):
        # The mark stands beside its label: Text: """
        first = beside["mark"]
    if label and _ONLY_INPUT.match(first):
        return at
    closing = None
    if tag := _TAG.match(first):
        closing = regex.compile(rf"^[ \t]*</{regex.escape(tag['name'])}>[ \t]*$")
    elif _RULE.match(first):
        closing = regex.compile(rf"^{regex.escape(first.rstrip())}[ \t]*$")
    else:
        mark = next(
            (m for m in _OPENS if first.strip().startswith(m) and first.strip(m).strip() == ""),
            None,
        )
        closing = regex.compile(_OPENS[mark]) if mark else None
    if closing is None:
        return None
    last = _next(lines, at + 1, closing)
    if last is None:
        return None
    # Between rules, and in an element, only what holds an input is one: they part sections, too.
    inner = lines.texts[at + 1 : last]
    holds = any("{{" in x for x in inner)
    if (tag or _RULE.match(first)) and not (holds and len([x for x in inner if x.strip()]) <= 3):
        return None
    return last


def _json(lines: _Lines, index: int) -> int | None:
    """The last line of a JSON value that stands on lines of its own."""
    line = lines.texts[index].strip()
    if not line or line[0] not in "{[" or line.startswith(("{{", "[[")):
        return None
    depth = 0
    inside = False
    for last in range(index, min(len(lines.texts), index + MOST_LINES)):
        for char in regex.sub(r"\{\{.*?\}\}|\\.", "", lines.texts[last]):
            if char == '"':
                inside = not inside
            elif not inside and char in "{[":
                depth += 1
            elif not inside and char in "}]":
                depth -= 1
        inside = False
        if depth <= 0:
            whole = "\n".join(lines.texts[index : last + 1]).strip()
            return last if whole[-1] in "}]" and '"' in whole else None
    return None


def _pair_lines(lines: _Lines) -> dict[int, int]:
    """First and last line of each worked pair of the text, and of the one that waits."""
    starts = [a for a, _ in lines.spans]
    found = {}
    for pair in pairs_of(lines.text):
        first = _line_at(starts, pair.start)
        found[first] = _line_at(starts, max(pair.start, pair.end - 1))
    return found


def _line_at(starts: Sequence[int], place: int) -> int:
    return bisect_right(starts, place) - 1


def pairs_of(text: str) -> list[Pair]:
    """Worked pairs within a text: two keys that follow each other more than once, or arrows.

    The pair that waits for its answer, with a placeholder as what is given, is one of them.
    """
    lines = _Lines(text)
    keyed = [(i, m) for i, line in enumerate(lines.texts) if (m := _KEYED.match(line))]
    found = list(_keyed_pairs(lines, keyed))
    taken = {p.start for p in found}
    return sorted(
        [*found, *(p for p in _arrows(lines) if p.start not in taken)], key=lambda p: p.start
    )


def _keyed_pairs(lines: _Lines, keyed: Sequence[tuple[int, regex.Match[str]]]) -> Iterator[Pair]:
    names = [m["key"].strip().casefold() for _, m in keyed]
    follow = Counter(pairwise(names))
    answers = _answer_key(names, keyed)
    skip = -1
    for place in range(len(keyed) - 1):
        (i, given), (j, said) = keyed[place], keyed[place + 1]
        name, other = names[place], names[place + 1]
        if place == skip or name in (other, answers) or follow[name, other] < 2:
            continue
        # Other keys between are further inputs of the same pair; a heading or a blank line is not.
        if any(not x.strip() for x in lines.texts[i + 1 : j]) or not given["said"].strip():
            continue
        skip = place + 1
        start = lines.spans[j][0] + said.start("said")
        end = start + len(said["said"].rstrip())
        # An answer may go on over lines, up to a blank one or the next key.
        last = j
        while (
            last + 1 < len(lines.texts)
            and said["said"].strip()
            and lines.texts[last + 1].strip()
            and not _KEYED.match(lines.texts[last + 1])
        ):
            last += 1
            end = lines.spans[last][0] + len(lines.texts[last].rstrip())
        yield Pair(
            lines.spans[i][0],
            max(end, lines.spans[j][0] + len(lines.texts[j])),
            given["said"].strip(),
            start,
            end,
        )


def _answer_key(names: list[str], keyed: Sequence[tuple[int, regex.Match[str]]]) -> str:
    """The key that names the answer: the one that waits at the end, else the second of a pair."""
    if keyed and not keyed[-1][1]["said"].strip():
        return names[-1]
    for a, b in pairwise(names):
        if a != b and names.count(a) > 1 and names.count(b) > 1:
            return b
    return ""


def _arrows(lines: _Lines) -> Iterator[Pair]:
    found = [
        (i, m)
        for i, line in enumerate(lines.texts)
        if (m := _ARROW.match(line)) and not ITEM_START.match(line)
    ]
    if len(found) < 2:
        return
    for i, match in found:
        start = lines.spans[i][0] + match.start("said")
        end = start + len(match["said"].rstrip())
        yield Pair(
            lines.spans[i][0],
            max(end, lines.spans[i][0] + len(lines.texts[i].rstrip())),
            match["given"].strip(),
            start,
            end,
        )
