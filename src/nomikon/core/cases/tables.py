"""Reading tables of cases: CSV (RFC 4180) and JSON Lines, with every refusal named.

`open_csv` and `open_jsonl` read a file of any size a row at a time; `read_csv`
and `read_jsonl` hold a small one whole.
"""

from __future__ import annotations

import codecs
import contextlib
import csv
import io
import json
import re
from collections.abc import Callable, Generator, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import islice
from typing import Any, BinaryIO

from charset_normalizer import from_bytes

from nomikon.core.cases.headings import LONGEST_NAME, LOOKED_AT, MOST_COLUMNS, find_heading
from nomikon.core.cases.mixed import MIXED, lines_in_words, mixed_lines
from nomikon.core.errors import TableError
from nomikon.core.foreign_words import of_csv
from nomikon.core.plain_json import PlainJsonError, read_plain

MAX_CELL = 10_000_000
# A refused row of so many cells and characters can be put right where it is shown.
MOST_MENDED, LONGEST_MENDED = 60, 20_000
MOST_CELLS = 50_000_000
ENCODINGS = ("utf-8", "utf-16", "cp1252", "iso-8859-1", "mac-roman", "shift_jis", "gb18030")
# What a file that is not UTF-8 may be guessed to be: rarer ones fit short texts by accident.
LIKELY = ["cp1252", "cp1250", "cp1251", "mac_roman", "shift_jis", "gb18030", "big5", "euc_kr"]
# So much of a file is looked at to tell its encoding where it is not UTF-8.
SAMPLE = 200_000
_PIECE = 1 << 20
# So many lines are looked at for the first two that are not blank.
MOST_BEFORE = 1000
# Bytes of a file that may be one array.
MOST_ARRAY = 100_000_000


@dataclass(frozen=True)
class Refused:
    """A row that was not taken, with its line in the file (from 1) and the reason.

    cells: what stands in it, in the order of the columns; none where it could not be told apart, or
    is too large to be shown whole.
    """

    line: int
    reason: str
    cells: tuple[str, ...] = ()


def whole_cells(cells: Sequence[str]) -> tuple[str, ...]:
    """The cells of a refused row to be put right; none where it is too large to be shown whole."""
    if len(cells) > MOST_MENDED or sum(map(len, cells)) > LONGEST_MENDED:
        return ()
    return tuple(cells)


@dataclass(frozen=True)
class Record:
    """A good row with its line."""

    line: int
    values: dict[str, Any]


@dataclass(frozen=True)
class Table:
    """Rows as read: columns in order, one mapping per good row, and what was refused."""

    columns: list[str]
    rows: list[dict[str, Any]]
    lines: list[int]
    refused: list[Refused] = field(default_factory=list)
    encoding: str = "utf-8"
    delimiter: str = ","
    notes: list[str] = field(default_factory=list)

    def records(self) -> Iterator[Record | Refused]:
        """Every row in the order of the file, good or refused."""
        every: list[Record | Refused] = [
            Record(n, row) for n, row in zip(self.lines, self.rows, strict=True)
        ]
        yield from sorted([*every, *self.refused], key=lambda r: r.line)


@dataclass(frozen=True)
class OpenTable:
    """A table read a row at a time. read: makes a new pass over the file. sheets: of a workbook, all."""

    columns: list[str]
    read: Callable[[], Iterator[Record | Refused]]
    encoding: str = "utf-8"
    delimiter: str = ","
    notes: list[str] = field(default_factory=list)
    sheets: list[str] = field(default_factory=list)

    def records(self) -> Iterator[Record | Refused]:
        """Every row in the order of the file. Raises TableError where it cannot go on."""
        return self.read()

    def whole(self) -> Table:
        """All rows held at once."""
        rows: list[dict[str, Any]] = []
        lines: list[int] = []
        refused: list[Refused] = []
        for record in self.records():
            if isinstance(record, Refused):
                refused.append(record)
            else:
                rows.append(record.values)
                lines.append(record.line)
        return Table(
            self.columns, rows, lines, refused, self.encoding, self.delimiter, list(self.notes)
        )


def find_encoding(file: BinaryIO, encoding: str | None = None) -> str:
    """The encoding of a file: the one given, else UTF-8, else the likeliest; all of it is tried.

    Raises TableError when the bytes do not fit the encoding, or fit none.
    """
    if encoding:
        _check_decodes(file, encoding)
        return encoding
    file.seek(0)
    if file.read(2) in (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE):
        _check_decodes(file, "utf-16")
        return "utf-16"
    misfit = first_misfit(file, "utf-8")
    if misfit is None:
        return "utf-8"
    if mixed_lines(file) is not None:
        return MIXED
    # The place that is not UTF-8 tells most; what comes before it may be plain ASCII.
    file.seek(max(0, misfit.offset - SAMPLE // 2))
    guess = _likely_encoding(file.read(SAMPLE))
    if guess is None:
        raise TableError(
            f"line {misfit.line}: the file is not UTF-8 here (byte {misfit.byte:#04x}) and no other "
            "encoding fits: is it a text file, or are two encodings mixed in it?",
            field="encoding",
            line=misfit.line,
        )
    _check_decodes(file, guess)
    return guess


def _about_encoding(file: BinaryIO, used: str, told: str | None) -> list[str]:
    if used == MIXED:
        return [lines_in_words(mixed_lines(file) or [])]
    return [] if told or used == "utf-8" else [f"read as {used}, the likeliest encoding"]


def _likely_encoding(sample: bytes) -> str | None:
    """The likeliest of LIKELY; cp1252, by far the commonest, where another fits no better."""
    matches = list(from_bytes(sample, cp_isolation=LIKELY))
    if not matches:
        return None
    best = matches[0]
    for match in matches:
        if "cp1252" in match.could_be_from_charset and (
            match.chaos <= best.chaos + 0.01 and match.coherence >= best.coherence - 0.1
        ):
            return "cp1252"
    return best.encoding


@dataclass(frozen=True)
class Misfit:
    """Where a byte is that does not fit: its line from 1, its place from 0."""

    line: int
    offset: int
    byte: int


def _check_decodes(file: BinaryIO, encoding: str) -> None:
    """Raises TableError with the line of the first byte that is not of this encoding."""
    misfit = first_misfit(file, encoding)
    if misfit is not None:
        raise TableError(
            f"line {misfit.line}: the file is not {encoding} (byte {misfit.byte:#04x})",
            field="encoding",
            line=misfit.line,
        )


def first_misfit(file: BinaryIO, encoding: str) -> Misfit | None:
    """The first byte that is not of this encoding; None where all are. Raises TableError."""
    try:
        decoder = codecs.getincrementaldecoder(encoding)()
    except LookupError as error:
        raise TableError(
            f"unknown encoding {encoding!r}; try one of {', '.join(ENCODINGS)}",
            field="encoding",
        ) from error
    file.seek(0)
    lines = done = 0
    while True:
        piece = file.read(_PIECE)
        # Bytes of a character that the last piece cut in two come before this one.
        held = len(decoder.getstate()[0])
        try:
            text = decoder.decode(piece, final=not piece)
        except UnicodeDecodeError as error:
            start = error.start
            line = lines + error.object[:start].count(b"\n") + 1
            return Misfit(line, done - held + start, error.object[start])
        if not piece:
            return None
        done += len(piece)
        lines += text.count("\n")


def lines_of(file: BinaryIO, encoding: str) -> Iterator[str]:
    """Lines with their ends, parted at one sign only, the byte order mark left out."""
    end = _line_end(file, encoding)
    file.seek(0)
    text = io.TextIOWrapper(
        file, encoding="utf-8-sig" if encoding == "utf-8" else encoding, newline=end
    )
    try:
        for number, line in enumerate(text):
            yield line.removeprefix("\ufeff") if number == 0 else line
    finally:
        # The file is the caller's: it stays open, where it still is.
        with contextlib.suppress(ValueError):
            text.detach()


def _line_end(file: BinaryIO, encoding: str) -> str:
    """The sign that ends lines: a line feed, or a carriage return where its beginning has no line feed."""
    file.seek(0)
    begin = file.read(SAMPLE).decode(encoding, "ignore")
    return "\r" if "\r" in begin and "\n" not in begin else "\n"


def open_csv(
    file: BinaryIO, *, encoding: str | None = None, delimiter: str | None = None
) -> OpenTable:
    """A CSV file with a header row, read a row at a time. file: at any place, can be rewound.

    Rows with another number of fields than the header are refused by line, the
    good ones kept; blank lines are passed over. What the heading is, and what is settled about it:
    `find_heading`, in the notes. Raises TableError when there is no header; reading raises it when
    a quote is left open.
    """
    csv.field_size_limit(MAX_CELL)
    used = find_encoding(file, encoding)
    notes = _about_encoding(file, used, encoding)
    first = next((line for line in lines_of(file, used) if line.strip()), None)
    if first is None:
        raise TableError(
            "the file is empty: a header row and at least one case are needed", field="file"
        )
    mark = delimiter or _likely_delimiter(first)
    if len(mark) != 1:
        raise TableError("the delimiter must be one character", field="delimiter")
    begin = _first_rows(file, used, mark)
    heading = find_heading(begin)
    if not delimiter and heading.titles == 0 and len(begin) > 1:
        # A title tells nothing of how the rows below it are parted.
        other = _likely_delimiter(mark.join(begin[1][1]))
        below = find_heading(_first_rows(file, used, other)) if other != mark else heading
        if below.titles:
            mark, heading = other, below
    header = heading.columns

    def read() -> Iterator[Record | Refused]:
        for line, fields in _csv_rows(file, used, mark):
            if line <= heading.line:
                continue
            cells = fields
            if len(cells) > len(header) and not any(c.strip() for c in cells[len(header) :]):
                # Programs put a mark behind the last cell, too.
                cells = cells[: len(header)]
            if len(cells) != len(header):
                reason = f"{len(fields)} fields where the header has {len(header)}"
                if len(header) < len(fields) <= heading.width:
                    reason = "a value stands behind the last column that has a name"
                yield Refused(line, reason, whole_cells([_unsafe(f) for f in fields]))
            else:
                yield Record(line, dict(zip(header, map(_unsafe, cells), strict=True)))

    notes += heading.notes
    return OpenTable(header, read, used, mark, notes)


def _first_rows(file: BinaryIO, encoding: str, mark: str) -> list[tuple[int, list[str]]]:
    rows = _csv_rows(file, encoding, mark)
    try:
        found = []
        for line, fields in rows:
            found.append((line, [_unsafe(f) for f in fields]))
            if len(found) == LOOKED_AT:
                break
        return found
    except TableError:
        # What is wrong further down is told when it is read.
        if not found:
            raise
        return found
    finally:
        rows.close()


def _csv_rows(
    file: BinaryIO, encoding: str, mark: str
) -> Generator[tuple[int, list[str]], None, None]:
    """The rows that are not blank, each with the line it begins on."""
    reader = csv.reader(_without_nul(lines_of(file, encoding)), delimiter=mark, strict=True)
    before = held = 0
    try:
        for fields in reader:
            line, before = before + 1, reader.line_num
            held += len(fields)
            check_cells(held, line)
            if fields and not (len(fields) == 1 and not fields[0].strip()):
                yield line, fields
    except csv.Error as error:
        raise TableError(
            f"line {before + 1}: {of_csv(error)}", field="file", line=before + 1
        ) from error


def _without_nul(lines: Iterator[str]) -> Iterator[str]:
    for line in lines:
        if "\x00" in line:
            raise TableError("the file holds NUL characters: is it a text file?", field="file")
        yield line


def read_csv(data: bytes, *, encoding: str | None = None, delimiter: str | None = None) -> Table:
    """`open_csv` for a file held in memory, all rows at once."""
    return open_csv(io.BytesIO(data), encoding=encoding, delimiter=delimiter).whole()


def _likely_delimiter(first: str) -> str:
    """The mark that cuts the header into most fields; a comma where none does."""
    first = first.rstrip("\r\n")
    try:
        counts = {m: len(next(csv.reader([first], delimiter=m), [])) for m in ",;\t|"}
    except csv.Error:
        # Reading it tells what is wrong with it.
        return ","
    return max(counts, key=lambda m: (counts[m], m == ","))


def check_cells(held: int, line: int) -> None:
    """Raises TableError where a file holds more cells than are read. held: so far."""
    if held > MOST_CELLS:
        raise TableError(
            f"line {line}: the file holds more than {MOST_CELLS:,} cells, the most that are read: "
            "take it in in parts",
            field="file",
            line=line,
        )


def open_jsonl(file: BinaryIO, *, encoding: str | None = None) -> OpenTable:
    """JSON Lines, read a line at a time: one object a line; lines that are none are refused.

    The columns are found by a pass of their own, since any line may bring a new one. A file that is one
    JSON array of objects, or one object that holds nothing but such an array, is read whole: its
    items count as lines.
    """
    used = find_encoding(file, encoding)
    items, notes = _array_in(file, used), _about_encoding(file, used, encoding)
    if items is not None:
        notes.append("one JSON array: its items are counted as lines")

    def read() -> Iterator[Record | Refused]:
        if items is not None:
            for number, item in enumerate(items, 1):
                yield _json_record(number, item)
            return
        for number, line in enumerate(lines_of(file, used), 1):
            if line.strip():
                yield _jsonl_record(number, line)

    columns: dict[str, None] = {}
    something, held = False, 0
    for record in read():
        something = True
        if isinstance(record, Record):
            held += len(record.values)
            check_cells(held, record.line)
            columns.update(dict.fromkeys(record.values))
            if len(columns) > MOST_COLUMNS:
                raise TableError(
                    f"line {record.line}: more than {MOST_COLUMNS:,} columns, all lines together",
                    field="file",
                    line=record.line,
                )
    if not something:
        raise TableError("the file is empty: at least one case is needed", field="file")
    return OpenTable(list(columns), read, used, "", notes)


def _array_in(file: BinaryIO, encoding: str) -> list[Any] | None:
    """The items of a file that is one array; None for one of lines."""
    filled = [x for x in islice(lines_of(file, encoding), MOST_BEFORE) if x.strip()][:2]
    first = filled[0].strip() if filled else ""
    if first[:1] not in ("[", "{"):
        return None
    # An object that is whole on its line is one of many lines, unless it holds the array alone.
    whole = _plain_or_none(first) if first[:1] == "{" else None
    if whole is not None and (len(filled) > 1 or not _holds_array(whole)):
        return None
    # An array is held whole; what is larger is read a line at a time, and told line by line.
    if file.seek(0, io.SEEK_END) > MOST_ARRAY:
        return None
    value = _plain_or_none("".join(lines_of(file, encoding)))
    if _holds_array(value):
        (value,) = value.values()
    return value if isinstance(value, list) else None


def _plain_or_none(text: str) -> Any:
    try:
        return read_plain(text)
    except PlainJsonError:
        return None


def _holds_array(value: Any) -> bool:
    """Whether it is an object with nothing but an array of objects."""
    if not isinstance(value, dict) or len(value) != 1:
        return False
    (only,) = value.values()
    return isinstance(only, list) and bool(only) and all(isinstance(x, dict) for x in only)


def _jsonl_record(number: int, line: str) -> Record | Refused:
    try:
        value = read_plain(line)
    except PlainJsonError as error:
        return Refused(number, str(error))
    return _json_record(number, value)


def _json_record(number: int, value: Any) -> Record | Refused:
    if not isinstance(value, dict):
        return Refused(number, "not a JSON object")
    for name, cell in value.items():
        if not name.strip() or len(name) > LONGEST_NAME:
            return Refused(
                number,
                f"a name is empty, or has more than {LONGEST_NAME} characters: “{name[:20]}”",
            )
        if isinstance(cell, str) and len(cell) > MAX_CELL:
            return Refused(
                number, f"{name} holds {len(cell):,} characters; at most {MAX_CELL:,} are read"
            )
    return Record(number, value)


def read_jsonl(data: bytes, *, encoding: str | None = None) -> Table:
    """`open_jsonl` for a file held in memory, all rows at once."""
    return open_jsonl(io.BytesIO(data), encoding=encoding).whole()


# Signs by which a spreadsheet takes a text for a formula, apostrophes before them counted.
_FORMULA = re.compile(r"'*[=+\-@\t\r]")
_NUMBER = re.compile(r"[+-]?\d+(?:[.,]\d+)*(?:[eE][+-]?\d+)?\Z")


def write_csv(columns: Sequence[str], rows: Sequence[Mapping[str, Any]]) -> str:
    """CSV text in which no cell, the header's neither, is a formula: an apostrophe stands before it.

    Numbers, negative ones too, stay numbers. `open_csv` takes the apostrophe away again, so that
    every text comes back as it was.

    >>> write_csv(['note'], [{'note': '=1'}, {'note': '-5'}])
    "note\\r\\n'=1\\r\\n-5\\r\\n"
    """
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow([_safe(c) for c in columns])
    for row in rows:
        writer.writerow([_safe(row.get(c)) for c in columns])
    return out.getvalue()


def _safe(value: Any) -> str:
    if value is None:
        return ""
    if not isinstance(value, str):
        return json.dumps(value, ensure_ascii=False)
    return "'" + value if _FORMULA.match(value) and not _NUMBER.match(value) else value


def _unsafe(text: str) -> str:
    """A cell as it was before it was made safe."""
    return text[1:] if text[:1] == "'" and _FORMULA.match(text) else text
