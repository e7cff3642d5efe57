"""The lines of a file that tell its encoding and its delimiter, as each candidate would read them."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from typing import BinaryIO

from nomikon.core.cases.tables import ENCODINGS, LIKELY, SAMPLE, first_misfit

MARKS = (",", ";", "\t", "|")
SHOWN_LINES, SHOWN_CELLS, SHOWN_ROWS = 3, 8, 200
# So much of a line stands around the first character that tells.
AROUND = 70
CANDIDATES = tuple(dict.fromkeys([*ENCODINGS, *(e.replace("_", "-") for e in LIKELY)]))


@dataclass(frozen=True)
class EncodingRead:
    """fits: whether every byte of the sample is of this encoding. lines: the hard ones, so read."""

    encoding: str
    fits: bool
    lines: tuple[str, ...]


@dataclass(frozen=True)
class DelimiterRead:
    """columns: of the header. fitting: of `rows`, those with as many cells. odd_line, odd: the first
    that has another number, and its cells; 0 and none where all fit."""

    mark: str
    columns: int
    fitting: int
    rows: int
    header: tuple[str, ...]
    odd_line: int
    odd: tuple[str, ...]


def encodings_read(file: BinaryIO) -> list[EncodingRead]:
    """How each encoding reads the lines that are hard, the ones that fit first.

    The sample stands around the first byte that is not ASCII; none where there is none.
    """
    misfit = first_misfit(file, "ascii")
    if misfit is None:
        return []
    start = max(0, misfit.offset - SAMPLE // 4)
    file.seek(start)
    sample = file.read(SAMPLE)
    if start:
        # Not in the midst of a line, nor of a character of two bytes.
        cut = sample.find(b"\n") + 1
        sample = sample[cut:] if (start + cut) % 2 == 0 else sample[cut + 1 :]
    hard = _hard(sample)
    found = [_read(sample, hard, name) for name in CANDIDATES]
    return sorted(found, key=lambda f: not f.fits)


def _hard(sample: bytes) -> list[bytes]:
    """The lines with most bytes that no line before them has."""
    lines = [x for x in sample.split(b"\n") if any(b > 127 for b in x)]
    seen: set[int] = set()
    chosen = []
    for _ in range(SHOWN_LINES):
        best = max(lines, key=lambda x: len({b for b in x if b > 127} - seen), default=b"")
        fresh = {b for b in best if b > 127} - seen
        if not fresh:
            break
        seen |= fresh
        chosen.append(best)
    return chosen


def _read(sample: bytes, hard: list[bytes], encoding: str) -> EncodingRead:
    wide = encoding == "utf-16"
    if wide:
        text = sample.decode(encoding, "replace")
        lines = [x for x in text.split("\n") if not x.isascii()][:SHOWN_LINES]
        marked = sample[:2] in (b"\xff\xfe", b"\xfe\xff") or b"\x00" in sample
        return EncodingRead(
            encoding, marked and "\ufffd" not in text, tuple(_around(x) for x in lines)
        )
    # A character may be cut in two at the end of the sample.
    ended = sample[: sample.rfind(b"\n") + 1] or sample
    try:
        ended.decode(encoding)
        fits = b"\x00" not in ended
    except UnicodeDecodeError:
        fits = False
    return EncodingRead(encoding, fits, tuple(_around(x.decode(encoding, "replace")) for x in hard))


def _around(line: str) -> str:
    """The part of a line around its first character that is not ASCII."""
    line = line.strip("\r\n")
    at = next((i for i, c in enumerate(line) if not c.isascii()), 0)
    start = max(0, at - AROUND // 2)
    cut = line[start : start + AROUND]
    return ("…" if start else "") + cut + ("…" if start + AROUND < len(line) else "")


def delimiters_read(file: BinaryIO, encoding: str) -> list[DelimiterRead]:
    """How each delimiter parts the first rows, the one that parts most of them alike first."""
    file.seek(0)
    text = file.read(SAMPLE).decode("utf-8-sig" if encoding == "utf-8" else encoding, "replace")
    if len(text) >= SAMPLE // 4 and "\n" in text:
        text = text[: text.rindex("\n")]
    found = [r for m in MARKS if (r := _parted(text.splitlines(keepends=True), m)) is not None]
    return sorted(found, key=lambda r: (r.columns < 2, -r.fitting / max(1, r.rows), -r.columns))


def _parted(lines: list[str], mark: str) -> DelimiterRead | None:
    reader = csv.reader(lines, delimiter=mark)
    header: list[str] = []
    rows = fitting = odd_line = 0
    odd: list[str] = []
    try:
        for row in reader:
            if not row:
                continue
            if not header:
                header = row
                continue
            rows += 1
            if len(row) == len(header):
                fitting += 1
            elif not odd_line:
                odd_line, odd = reader.line_num, row
            if rows == SHOWN_ROWS:
                break
    except csv.Error:
        return None
    return DelimiterRead(mark, len(header), fitting, rows, _cells(header), odd_line, _cells(odd))


def _cells(row: list[str]) -> tuple[str, ...]:
    return tuple(c[:AROUND] for c in row[:SHOWN_CELLS])
