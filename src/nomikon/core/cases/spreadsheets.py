"""Reading cases from a spreadsheet file (XLSX): values as they were last computed."""

from __future__ import annotations

import datetime
import io
import zipfile
from collections.abc import Sequence
from typing import Any

import openpyxl
from openpyxl.utils.exceptions import InvalidFileException

from nomikon.core.cases.tables import Refused, Table, checked_header
from nomikon.core.errors import TableError


def read_xlsx(data: bytes) -> Table:
    """Read the first sheet; its first row that is not empty is the header.

    A formula gives the value it had when the file was saved. Raises TableError as `read_csv`.
    """
    try:
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    except (InvalidFileException, zipfile.BadZipFile, KeyError, ValueError, OSError) as error:
        raise TableError(f"this is no XLSX file: {str(error)[:120]}", field="file") from error
    columns: list[str] = []
    rows: list[dict[str, Any]] = []
    lines: list[int] = []
    refused: list[Refused] = []
    for line, cells in enumerate(book.worksheets[0].iter_rows(values_only=True), 1):
        if all(c is None or c == "" for c in cells):
            continue
        if not columns:
            columns = _header(cells, line)
            continue
        if any(c not in (None, "") for c in cells[len(columns) :]):
            refused.append(Refused(line, "more fields than the header has columns"))
            continue
        rows.append({n: _value(c) for n, c in zip(columns, cells, strict=False)})
        lines.append(line)
    if not columns:
        raise TableError(
            "the sheet is empty: a header row and at least one case are needed", field="file"
        )
    return Table(columns, rows, lines, refused, "utf-8", "", [])


def _header(cells: Sequence[Any], line: int) -> list[str]:
    """The header without the empty cells that a sheet carries to its right."""
    names = ["" if c is None else str(c) for c in cells]
    while names and not names[-1].strip():
        names.pop()
    return checked_header(names, line)


def _value(cell: Any) -> Any:
    """A cell as plain data; whole numbers without a decimal point, dates as ISO text."""
    if isinstance(cell, float) and cell.is_integer():
        return int(cell)
    if isinstance(cell, (datetime.datetime, datetime.date, datetime.time)):
        return cell.isoformat()
    return cell
