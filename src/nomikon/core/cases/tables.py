"""Reading tables of cases: CSV (RFC 4180) and JSON Lines, with every refusal named."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from charset_normalizer import from_bytes

from nomikon.core.errors import TableError

MAX_CELL = 10_000_000
ENCODINGS = ("utf-8", "utf-16", "cp1252", "iso-8859-1", "mac-roman", "shift_jis", "gb18030")


@dataclass(frozen=True)
class Refused:
    """A row that was not taken, with its line in the file (from 1) and the reason."""

    line: int
    reason: str


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


def decode(data: bytes, encoding: str | None = None) -> tuple[str, str]:
    """Bytes as text, with the encoding used: the one given, else UTF-8, else the likeliest.

    Raises TableError when the bytes do not fit the encoding, or fit none.
    """
    if encoding:
        try:
            return data.decode(encoding).removeprefix("\ufeff"), encoding
        except UnicodeDecodeError as error:
            line = data[: error.start].count(b"\n") + 1
            raise TableError(
                f"line {line}: the file is not {encoding} (byte {data[error.start]:#04x})",
                field="encoding",
                line=line,
            ) from error
        except LookupError as error:
            raise TableError(
                f"unknown encoding {encoding!r}; try one of {', '.join(ENCODINGS)}",
                field="encoding",
            ) from error
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return decode(data, "utf-16")
    try:
        return data.decode("utf-8-sig"), "utf-8"
    except UnicodeDecodeError:
        best = from_bytes(data[:200_000]).best()
        if best is None:
            raise TableError(
                "the file is not UTF-8 and no other encoding fits: is it a text file?",
                field="encoding",
            ) from None
        return decode(data, best.encoding)


def read_csv(data: bytes, *, encoding: str | None = None, delimiter: str | None = None) -> Table:
    """Read a CSV file with a header row.

    Rows with another number of fields than the header are refused by line, the
    good ones kept; blank lines are passed over. Raises TableError when there is
    no header, a column has no name or two have the same, or a quote is left open.
    """
    text, used = decode(data, encoding)
    notes = [] if encoding or used == "utf-8" else [f"read as {used}, the likeliest encoding"]
    if not text.strip():
        raise TableError(
            "the file is empty: a header row and at least one case are needed", field="file"
        )
    if "\x00" in text:
        raise TableError("the file holds NUL characters: is it a text file?", field="file")
    mark = delimiter or _likely_delimiter(text)
    if len(mark) != 1:
        raise TableError("the delimiter must be one character", field="delimiter")
    csv.field_size_limit(MAX_CELL)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=mark, strict=True)
    rows: list[dict[str, Any]] = []
    lines: list[int] = []
    refused: list[Refused] = []
    header: list[str] | None = None
    before = 0
    try:
        for fields in reader:
            line, before = before + 1, reader.line_num
            if not fields or (len(fields) == 1 and not fields[0].strip()):
                continue
            if header is None:
                header = checked_header(fields, line)
            elif len(fields) != len(header):
                refused.append(
                    Refused(line, f"{len(fields)} fields where the header has {len(header)}")
                )
            else:
                rows.append(dict(zip(header, fields, strict=True)))
                lines.append(line)
    except csv.Error as error:
        reason = (
            "a quoted field is not closed"
            if "unexpected end" in str(error)
            else f"not valid CSV: {error}"
        )
        raise TableError(f"line {before + 1}: {reason}", field="file", line=before + 1) from error
    assert header is not None
    return Table(header, rows, lines, refused, used, mark, notes)


def _likely_delimiter(text: str) -> str:
    """The mark that cuts the header into most fields; a comma where none does."""
    first = text.lstrip("\r\n").split("\n", 1)[0]
    counts = {m: len(next(csv.reader([first], delimiter=m), [])) for m in ",;\t|"}
    return max(counts, key=lambda m: (counts[m], m == ","))


def checked_header(fields: Sequence[str], line: int) -> list[str]:
    """Column names of a header row. Raises TableError for an empty name or one that comes twice."""
    names = [f.strip() for f in fields]
    for place, name in enumerate(names, 1):
        if not name:
            raise TableError(f"line {line}: column {place} has no name", field="file", line=line)
    twice = sorted({n for n in names if names.count(n) > 1})
    if twice:
        raise TableError(
            f"line {line}: the header names {', '.join(twice)} more than once",
            field="file",
            line=line,
        )
    return names


def read_jsonl(data: bytes, *, encoding: str | None = None) -> Table:
    """Read JSON Lines: one object per line; lines that are none are refused, the rest kept."""
    text, used = decode(data, encoding)
    rows: list[dict[str, Any]] = []
    lines: list[int] = []
    refused: list[Refused] = []
    columns: dict[str, None] = {}
    for number, line in enumerate(text.split("\n"), 1):
        if not line.strip():
            continue
        try:
            value = json.loads(line, parse_constant=_refuse_constant)
        except (ValueError, RecursionError) as error:
            refused.append(Refused(number, f"not JSON: {error}"))
            continue
        if not isinstance(value, dict):
            refused.append(Refused(number, "not a JSON object"))
            continue
        columns.update(dict.fromkeys(value))
        rows.append(value)
        lines.append(number)
    if not rows and not refused:
        raise TableError("the file is empty: at least one case is needed", field="file")
    return Table(list(columns), rows, lines, refused, used, "")


def _refuse_constant(name: str) -> None:
    raise ValueError(f"{name} is no JSON value")


def write_csv(columns: Sequence[str], rows: Sequence[Mapping[str, Any]]) -> str:
    """CSV text; a leading =, +, - or @ is neutralised with an apostrophe for spreadsheets."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(list(columns))
    for row in rows:
        writer.writerow([_safe(row.get(c)) for c in columns])
    return out.getvalue()


def _safe(value: Any) -> str:
    if value is None:
        return ""
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    return "'" + text if isinstance(value, str) and text[:1] in ("=", "+", "-", "@") else text
