"""Reading cases from a spreadsheet file (XLSX): values as they were last computed."""

from __future__ import annotations

import datetime
import io
import json
import math
import re
import zipfile
import zlib
from collections.abc import Generator, Iterator, Mapping, Sequence
from itertools import islice
from typing import Any, BinaryIO
from xml.etree.ElementTree import ParseError

from nomikon.core.cases.headings import LOOKED_AT, find_heading
from nomikon.core.cases.tables import OpenTable, Record, Refused, Table, check_cells
from nomikon.core.errors import TableError

# A spreadsheet is a zip: what it may grow to when it is unpacked.
MOST_UNPACKED = 2_000_000_000
# Texts that cells share are held in memory all at once.
MOST_SHARED = 200_000_000
# As many as the format knows; a row number beyond is made up.
MOST_ROWS = 1_048_576


def open_xlsx(file: BinaryIO, *, sheet: str | None = None) -> OpenTable:
    """A sheet, the first where none is named, read a row at a time; what its heading is: `find_heading`.

    A formula gives the value it had when the file was saved; one without such a
    value, merged cells, and the sheets that are not read are told in the notes. Raises TableError as
    `open_csv`, and for a sheet that is not there.
    """
    notes = _look_inside(file)
    (_, sheets), *begin = _begin(file, sheet)
    if len(sheets) > 1:
        others = [s for s in sheets if s != (sheet or sheets[0])]
        notes.append(f"read is the sheet {sheet or sheets[0]}, not {', '.join(others[:5])}")
    if not begin:
        raise TableError(
            "the sheet is empty: a header row and at least one case are needed", field="file"
        )
    heading = find_heading(begin)
    columns = heading.columns
    notes += heading.notes

    def read() -> Iterator[Record | Refused]:
        for line, cells in _sheet_rows(file, sheet):
            if line <= heading.line:
                continue
            if any(c not in (None, "") for c in cells[len(columns) :]):
                yield Refused(line, "more fields than the header has columns")
            elif any(isinstance(c, float) and not math.isfinite(c) for c in cells):
                yield Refused(line, "a number is larger than any that can be kept")
            else:
                yield Record(line, {n: _value(c) for n, c in zip(columns, cells, strict=False)})

    return OpenTable(columns, read, "utf-8", "", notes, sheets)


def read_xlsx(data: bytes) -> Table:
    """`open_xlsx` for a file held in memory, all rows at once."""
    return open_xlsx(io.BytesIO(data)).whole()


def _sheet_rows(
    file: BinaryIO, sheet: str | None = None
) -> Generator[tuple[int, Sequence[Any]], None, None]:
    """The rows of a sheet, the first without a name, that are not empty, with their numbers; before them, as
    row 0, the names of all sheets."""
    # Here and not above: every process imports this module, and few read a spreadsheet.
    import openpyxl
    from openpyxl.utils.exceptions import InvalidFileException

    file.seek(0)
    try:
        book = openpyxl.load_workbook(file, read_only=True, data_only=True)
        if not book.worksheets:
            raise TableError("the file has no sheet of cells", field="file")
        names = [s.title for s in book.worksheets]
        if sheet is not None and sheet not in names:
            raise TableError(
                f"the file has no sheet {sheet!r}; it has {', '.join(names)}", field="delimiter"
            )
        # First of all which sheets there are.
        yield 0, names
        held = 0
        of = book[sheet] if sheet else book.worksheets[0]
        for line, cells in enumerate(of.iter_rows(values_only=True), 1):
            if line > MOST_ROWS:
                raise TableError(
                    f"a row is numbered beyond {MOST_ROWS:,}, the most a sheet has", field="file"
                )
            # Empty ones before a far column count as well: they are made and looked at.
            held += len(cells)
            check_cells(held, line)
            if not all(c is None or c == "" for c in cells):
                yield line, cells
    except ParseError as error:
        line, column = error.position
        raise TableError(
            f"this is no XLSX file that can be read: what is packed in it breaks off or is mistaken "
            f"(line {line}, column {column})",
            field="file",
        ) from error
    except (
        InvalidFileException,
        zipfile.BadZipFile,
        zlib.error,
        LookupError,
        ValueError,
        TypeError,
        AttributeError,
        OverflowError,
        NotImplementedError,
        RecursionError,
        EOFError,
        OSError,
    ) as error:
        raise TableError(
            "this is no XLSX file that can be read: it is damaged, or of another kind; open it in "
            "a spreadsheet program and save it anew, or as CSV",
            field="file",
        ) from error


# Possessive: blanks without end are gone over once.
_FORMULA_WITHOUT_VALUE = re.compile(
    rb"<f\b[^<>]*+(?:/>|>[^<]*+</f>)\s*+(?:<v\s*+/>\s*+|<v>\s*+</v>\s*+)?+</c>"
)
_MERGED = re.compile(rb"<mergeCell\b")


def _look_inside(file: BinaryIO) -> list[str]:
    """What reading the values alone would pass over in silence. Refuses what unpacks to too much."""
    file.seek(0)
    try:
        with zipfile.ZipFile(file) as packed:
            size = sum(i.file_size for i in packed.infolist())
            if size > MOST_UNPACKED:
                raise TableError(
                    f"the file unpacks to {size / 1e9:.1f} GB; at most "
                    f"{MOST_UNPACKED / 1e9:.0f} GB are read",
                    field="file",
                )
            shared = sum(
                i.file_size for i in packed.infolist() if i.filename.endswith("sharedStrings.xml")
            )
            if shared > MOST_SHARED:
                raise TableError(
                    f"the texts of the file unpack to {shared / 1e6:,.0f} MB; at most "
                    f"{MOST_SHARED / 1e6:.0f} MB are read: save it as CSV",
                    field="file",
                )
            sheets = [n for n in packed.namelist() if _FIRST_SHEET.fullmatch(n)]
            if not sheets:
                return []
            bare, merged = _count_in(packed, sheets[0])
    except (zipfile.BadZipFile, zlib.error, OSError) as error:
        raise TableError(
            "this is no XLSX file: it is damaged, or of another kind", field="file"
        ) from error
    notes = []
    if bare:
        notes.append(
            f"{bare} formulas hold no value and are read as empty: open the file in a spreadsheet "
            "program and save it there"
        )
    if merged:
        notes.append(f"{merged} merged cells: each value stands in the first of its cells only")
    return notes


_FIRST_SHEET = re.compile(r"xl/worksheets/sheet1\.xml")
_OVERLAP = 4096


def _count_in(packed: zipfile.ZipFile, name: str) -> tuple[int, int]:
    """Formulas without a stored value, and merged ranges, of a sheet read in pieces."""
    bare = merged = 0
    rest = b""
    with packed.open(name) as sheet:
        while piece := sheet.read(1 << 20):
            text = rest + piece
            # Up to the last whole cell, so that nothing is counted twice or cut in two.
            end = max(text.rfind(b"</c>") + 4, text.rfind(b"/>") + 2, len(text) - _OVERLAP)
            bare += len(_FORMULA_WITHOUT_VALUE.findall(text, 0, end))
            merged += len(_MERGED.findall(text, 0, end))
            rest = text[end:]
    return bare, merged + len(_MERGED.findall(rest))


def _begin(file: BinaryIO, sheet: str | None) -> list[tuple[int, list[str]]]:
    """The first rows as text, without the empty cells that a sheet carries to its right."""
    rows = _sheet_rows(file, sheet)
    try:
        found = []
        for line, cells in islice(rows, 1 + LOOKED_AT):
            names = ["" if c is None else str(c) for c in cells]
            while names and not names[-1].strip():
                names.pop()
            found.append((line, names))
        return found
    finally:
        rows.close()


def _value(cell: Any) -> Any:
    """A cell as plain data; whole numbers without a decimal point, dates as ISO text."""
    if isinstance(cell, float) and cell.is_integer() and abs(cell) < 2**53:
        return int(cell)
    if isinstance(cell, (datetime.datetime, datetime.date, datetime.time)):
        return cell.isoformat()
    return cell


def write_xlsx(columns: Sequence[str], rows: Sequence[Mapping[str, Any]]) -> bytes:
    """One sheet with a header; every text is stored as text, so that no cell is a formula."""
    import openpyxl

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
_MOST_EXACT = 10**15


def _cell(sheet: Any, value: Any) -> Any:
    if isinstance(value, int) and not isinstance(value, bool) and abs(value) > _MOST_EXACT:
        # A spreadsheet keeps 15 digits of a number: as text it keeps all of them.
        value = str(value)
    if value is None or (isinstance(value, (int, float)) and not isinstance(value, bool)):
        return value
    from openpyxl.cell import WriteOnlyCell

    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    cell = WriteOnlyCell(sheet, _NOT_IN_XML.sub("\ufffd", text)[:_MOST_IN_CELL])
    cell.data_type = "s"
    return cell
