"""Reading cases from a spreadsheet file (XLSX): values as they were last computed."""

from __future__ import annotations

import datetime
import io
import json
import re
import zipfile
from collections.abc import Mapping, Sequence
from typing import Any

import openpyxl
from openpyxl.cell import WriteOnlyCell
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


def write_xlsx(columns: Sequence[str], rows: Sequence[Mapping[str, Any]]) -> bytes:
    """One sheet with a header; every text is stored as text, so that no cell is a formula."""
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet("cases")
    sheet.append([_cell(sheet, c) for c in columns])
    for row in rows:
        sheet.append([_cell(sheet, row.get(c)) for c in columns])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


# What XML, and so a spreadsheet file, cannot hold; and the most characters of a cell.
_NOT_IN_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")
_MOST_IN_CELL = 32_767


def _cell(sheet: Any, value: Any) -> Any:
    if value is None or (isinstance(value, (int, float)) and not isinstance(value, bool)):
        return value
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    cell = WriteOnlyCell(sheet, _NOT_IN_XML.sub("\ufffd", text)[:_MOST_IN_CELL])
    cell.data_type = "s"
    return cell
