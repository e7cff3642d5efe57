"""What differs between two answers: key by key in JSON, row by row in tables, else word by word."""

from __future__ import annotations

import csv
import difflib
import io
import json
import re
from dataclasses import dataclass, field
from typing import Any

from nomikon.core.prompts.alignment import WordChange, word_changes
from nomikon.core.replies import ReplyError, find_json

WORDS, KEYS, ROWS, LINES = "words", "keys", "rows", "lines"
SAME, CHANGED, GONE, NEW = "same", "changed", "gone", "new"
# Words of longer texts are not told apart one by one, but line by line.
MOST_WORDS = 4_000
MOST_LINES = 4_000
MOST_KEYS = 2_000
LONGEST_JSON = 400_000


@dataclass(frozen=True)
class PartChange:
    """One key, row or line. name: its path or number. before, after: None where it is not there."""

    name: str
    kind: str
    before: str | None
    after: str | None


@dataclass(frozen=True)
class Differing:
    """how: by words, keys, rows or lines. words: by words alone; parts: in all other cases.

    cut: the texts are too long to be gone through whole, and the parts stop before their end.
    """

    how: str
    same: bool
    words: list[WordChange] = field(default_factory=list)
    parts: list[PartChange] = field(default_factory=list)
    cut: bool = False


def differing(before: str, after: str) -> Differing:
    """What differs in `after`, held against `before`.

    Both JSON objects or lists: every key by its path, in the order of `before`. Both tables
    (rows of cells parted by commas, semicolons, tabs or bars, as many in every row): row by row.

    >>> [(p.name, p.kind) for p in differing('{"a": 1, "b": 2}', '{"b": 3, "c": 2}').parts]
    [('a', 'gone'), ('b', 'changed'), ('c', 'new')]
    """
    values = _json_of(before), _json_of(after)
    if values[0] is not None and values[1] is not None:
        return _by_keys(values[0], values[1])
    tables = _rows_of(before), _rows_of(after)
    if tables[0] is not None and tables[1] is not None:
        parts = _by_rows(tables[0], tables[1])
        return Differing(ROWS, all(p.kind == SAME for p in parts), parts=parts)
    if max(_words_in(before), _words_in(after)) <= MOST_WORDS:
        words = word_changes(before, after)
        return Differing(WORDS, all(w.kind == "same" for w in words), words=words)
    return _by_lines(before, after)


def _words_in(text: str) -> int:
    return sum(1 for _ in re.finditer(r"\w+", text))


def _json_of(text: str) -> Any:
    """The object or list that an answer is, fence and reasoning aside; None where it is none."""
    if len(text) > LONGEST_JSON or not re.search(r"[{\[]", text[:2_000]):
        return None
    whole = text.strip()
    try:
        value = json.loads(whole)
    except (ValueError, RecursionError):
        # Words around it may differ, too: only a fence may stand around what is compared by keys.
        if not re.fullmatch(r"```\w*\s*[{\[].*[}\]]\s*```", whole, re.S):
            return None
        try:
            value = find_json(whole).value
        except ReplyError:
            return None
    return value if isinstance(value, (dict, list)) and value else None


def _by_keys(before: Any, after: Any) -> Differing:
    a, b = _flat(before), _flat(after)
    parts = []
    for name, text in a.items():
        if name not in b:
            parts.append(PartChange(name, GONE, text, None))
        else:
            parts.append(PartChange(name, SAME if text == b[name] else CHANGED, text, b[name]))
    parts += [PartChange(name, NEW, None, text) for name, text in b.items() if name not in a]
    cut = len(parts) > MOST_KEYS
    same = all(p.kind == SAME for p in parts)
    return Differing(KEYS, same, parts=parts[:MOST_KEYS], cut=cut)


def _flat(value: Any) -> dict[str, str]:
    """Every leaf by its path, `customer.name` and `items[2]`, values as JSON."""
    found: dict[str, str] = {}
    waiting: list[tuple[str, Any]] = [("", value)]
    while waiting:
        path, held = waiting.pop()
        if isinstance(held, dict) and held:
            waiting += [(f"{path}.{k}" if path else str(k), v) for k, v in reversed(held.items())]
        elif isinstance(held, list) and held:
            waiting += [(f"{path}[{i}]", v) for i, v in reversed(list(enumerate(held, 1)))]
        else:
            found[path] = json.dumps(held, ensure_ascii=False)
    return found


def _rows_of(text: str) -> list[list[str]] | None:
    """The cells of a table; None for what is none."""
    lines = [line for line in text.strip().splitlines() if line.strip()]
    lines = [line for line in lines if not re.fullmatch(r"\s*```\w*\s*", line)]
    if not 2 <= len(lines) <= MOST_LINES:
        return None
    if all(line.count("|") >= 1 for line in lines):
        cells = [[c.strip() for c in line.strip().strip("|").split("|")] for line in lines]
        cells = [row for row in cells if not all(re.fullmatch(r":?-{2,}:?", c) for c in row)]
    else:
        mark = next((m for m in ("\t", ";", ",") if all(m in line for line in lines)), None)
        if mark is None:
            return None
        try:
            cells = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=mark, strict=True))
        except csv.Error:
            return None
    widths = {len(row) for row in cells}
    return cells if len(cells) >= 2 and len(widths) == 1 and widths != {1} else None


def _by_rows(before: list[list[str]], after: list[list[str]]) -> list[PartChange]:
    return _aligned([" | ".join(r) for r in before], [" | ".join(r) for r in after])


def _by_lines(before: str, after: str) -> Differing:
    a, b = before.splitlines(), after.splitlines()
    cut = max(len(a), len(b)) > MOST_LINES
    parts = _aligned(a[:MOST_LINES], b[:MOST_LINES])
    return Differing(LINES, before == after, parts=parts, cut=cut)


def _aligned(before: list[str], after: list[str]) -> list[PartChange]:
    """Rows side by side by their place; those of a stretch that was rewritten one beside the other."""
    parts: list[PartChange] = []
    matcher = difflib.SequenceMatcher(None, before, after, autojunk=len(before) > 500)
    for tag, i1, i2, j1, j2 in matcher.get_opcodes():
        if tag == "equal":
            parts += [
                PartChange(str(j + 1), SAME, before[i], after[j])
                for i, j in zip(range(i1, i2), range(j1, j2), strict=True)
            ]
            continue
        both = min(i2 - i1, j2 - j1)
        parts += [
            PartChange(str(j1 + k + 1), CHANGED, before[i1 + k], after[j1 + k]) for k in range(both)
        ]
        parts += [PartChange(str(i + 1), GONE, before[i], None) for i in range(i1 + both, i2)]
        parts += [PartChange(str(j + 1), NEW, None, after[j]) for j in range(j1 + both, j2)]
    return parts
