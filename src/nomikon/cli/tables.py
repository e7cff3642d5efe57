"""Files of cases, as every command reads them."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from nomikon.cli.telling import read_text, refuse
from nomikon.core.cases import Table, read_csv, read_jsonl, read_xlsx
from nomikon.core.cases.forms import ALSO_RIGHT
from nomikon.core.errors import DomainError
from nomikon.core.foreign_words import of_csv

READERS: dict[str, Callable[[bytes], Table]] = {
    ".csv": read_csv,
    ".jsonl": read_jsonl,
    ".ndjson": read_jsonl,
    ".json": read_jsonl,
    ".xlsx": read_xlsx,
}
# Columns that are no inputs.
RESERVED = ("id", "split", "tags", ALSO_RIGHT)


def read_cases(path: Path) -> Table:
    """A table of cases; what cannot be read is refused with its line."""
    reader = READERS.get(path.suffix.lower())
    if reader is None:
        refuse(path, f"cases are read from {', '.join(READERS)}, not {path.suffix or 'this'}")
    try:
        return reader(path.read_bytes())
    except OSError as error:
        refuse(path, f"cannot be read: {error.strerror}")
    except DomainError as error:
        refuse(path, error.message, error.facts.get("line"))


def csv_rows(
    path: Path, needed: Sequence[str], allowed: str
) -> Iterator[tuple[int, dict[str, str]]]:
    """Rows of a CSV file of figures with their lines, columns by lower-case name.

    Refused, with its line, where a needed column is absent or a row is ragged.
    """
    reader = csv.reader(io.StringIO(read_text(path), newline=""), strict=True)
    header: list[str] = []
    try:
        for fields in reader:
            line = reader.line_num
            if not any(f.strip() for f in fields):
                continue
            if not header:
                header = [f.strip().lower() for f in fields]
                absent = [n for n in needed if n not in header]
                if absent:
                    refuse(path, f"no column {absent[0]}; needed are {allowed}", line)
                continue
            if len(fields) != len(header):
                refuse(path, f"{len(fields)} fields where the header has {len(header)}", line)
            yield line, dict(zip(header, fields, strict=True))
    except csv.Error as error:
        refuse(path, f"no table that can be read: {of_csv(error)}", reader.line_num)


class Sources:
    """The column `source` of a table of figures, gathered row by row; a case has one."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._by_case: dict[str, str] = {}
        self._told = False

    def take(self, line: int, row: dict[str, str]) -> None:
        """A row's own; refused where its case came from another before."""
        if "source" not in row:
            return
        self._told = True
        source, case = row["source"].strip(), row["case"]
        if source and (before := self._by_case.setdefault(case, source)) != source:
            refuse(
                self._path, f"case {case!r} comes from {before!r} before and {source!r} here", line
            )

    @property
    def by_case(self) -> dict[str, str] | None:
        """The source of each case that has one; None where the table has no such column."""
        return self._by_case if self._told else None
