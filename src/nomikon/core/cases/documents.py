"""Documents as cases: one file a case, its text as it stands, its name and path beside it."""

from __future__ import annotations

import io
import logging
from collections.abc import Iterator
from pathlib import PurePosixPath
from typing import BinaryIO

from pypdf import PdfReader
from pypdf.errors import PyPdfError

from nomikon.core.cases.spreadsheets import open_xlsx
from nomikon.core.cases.tables import MAX_CELL, OpenTable, Record, Refused, find_encoding
from nomikon.core.errors import TableError
from nomikon.core.plain_json import PlainJsonError, read_plain
from nomikon.core.prompts.rendering import value_as_text

PATH, NAME, TEXT = COLUMNS = ("path", "name", "text")
MOST_FILES, LONGEST_PATH, LONGEST_LIST = 20_000, 1_000, 30_000_000
MOST_PAGES = 5_000
_SHEETS = (".xlsx", ".xlsm")

# What the library lets through of a file that was broken on purpose.
_BROKEN: tuple[type[Exception], ...] = (
    PyPdfError,
    ValueError,
    LookupError,
    TypeError,
    AttributeError,
    ArithmeticError,
    AssertionError,
    NotImplementedError,
    RecursionError,
    OSError,
    EOFError,
)
# What is odd in a PDF is told with its line, not in a log.
logging.getLogger("pypdf").setLevel(logging.CRITICAL)


def open_documents(file: BinaryIO) -> OpenTable:
    """Files that stand one after the other in `file`, as a table of their texts.

    The first line lists them: [[path, size in bytes], …] as JSON. A file without a text that can be
    read is refused, the others are kept. Raises TableError where the list does not fit.
    """
    file.seek(0)
    parts = _read_list(file.readline(LONGEST_LIST))
    begin = file.tell()
    file.seek(0, io.SEEK_END)
    if file.tell() - begin != sum(size for _, size in parts):
        raise TableError(
            "the files are not as long as they were told to be: were they changed meanwhile?",
            field="file",
        )

    def read() -> Iterator[Record | Refused]:
        at = begin
        for number, (path, size) in enumerate(parts, 1):
            file.seek(at)
            at += size
            name = PurePosixPath(path).name
            try:
                text = text_of(name, file.read(size))
            except TableError as error:
                yield Refused(number, error.message, (path, name, ""))
            else:
                yield Record(number, {PATH: path, NAME: name, TEXT: text})

    return OpenTable(list(COLUMNS), read, "", "")


def _read_list(line: bytes) -> list[tuple[str, int]]:
    try:
        manifest = read_plain(line)
    except PlainJsonError as error:
        raise TableError("the list of files cannot be read", field="file") from error
    fits = isinstance(manifest, list) and all(
        isinstance(row, list)
        and len(row) == 2
        and isinstance(row[0], str)
        and isinstance(row[1], int)
        and not isinstance(row[1], bool)
        and row[1] >= 0
        for row in manifest
    )
    if not fits:
        raise TableError("the list of files is no list of paths and sizes", field="file")
    if not manifest:
        raise TableError("choose at least one file", field="file")
    if len(manifest) > MOST_FILES:
        raise TableError(
            f"{len(manifest):,} files at once; at most {MOST_FILES:,} are read", field="file"
        )
    return [(plain_path(path), size) for path, size in manifest]


def plain_path(path: str) -> str:
    """A path as it is kept: a name for people, never opened. Leading slashes and dots go.

    >>> plain_path("../a/./b//c.txt"), plain_path("a/b.md")
    ('a/b/c.txt', 'a/b.md')
    """
    parts = [p for p in path.replace("\\", "/").split("/") if p not in ("", ".", "..")]
    return "/".join(parts)[-LONGEST_PATH:] or "unnamed"


def text_of(name: str, data: bytes) -> str:
    """The text of a file by its name's ending. Raises TableError with why there is none."""
    suffix = PurePosixPath(name).suffix.lower()
    if not data:
        raise TableError("the file is empty", field="file")
    if suffix == ".pdf" or data.startswith(b"%PDF-"):
        text = _pdf(data)
    elif suffix in _SHEETS:
        text = _sheet(data)
    else:
        text = _plain(data)
    if not text.strip():
        raise TableError("the file holds no text", field="file")
    if len(text) > MAX_CELL:
        raise TableError(
            f"the text has {len(text):,} characters; at most {MAX_CELL:,} are read", field="file"
        )
    return text


def _plain(data: bytes) -> str:
    if b"\x00" in data[:4096] and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise TableError("this is no text: text, Markdown, PDF and tables are read", field="file")
    encoding = find_encoding(io.BytesIO(data))
    text = data.decode(encoding).removeprefix("\ufeff")
    return text.replace("\r\n", "\n").replace("\r", "\n")


def _sheet(data: bytes) -> str:
    """A table as lines of cells parted by tabs, its header first."""
    table = open_xlsx(io.BytesIO(data))
    lines = ["\t".join(table.columns)]
    for record in table.records():
        if isinstance(record, Record):
            cells = [record.values.get(c) for c in table.columns]
            lines.append("\t".join("" if v is None else value_as_text(v) for v in cells))
    return "\n".join(lines)


def _pdf(data: bytes) -> str:
    try:
        reader = PdfReader(io.BytesIO(data))
        if reader.is_encrypted and not reader.decrypt(""):
            raise TableError("the PDF needs a password", field="file")
        if len(reader.pages) > MOST_PAGES:
            raise TableError(
                f"the PDF has {len(reader.pages):,} pages; at most {MOST_PAGES:,} are read",
                field="file",
            )
        pages = [page.extract_text() for page in reader.pages]
    except _BROKEN as error:
        raise TableError(
            "this PDF cannot be read: it is broken, or no PDF", field="file"
        ) from error
    if not any(p.strip() for p in pages):
        raise TableError("the PDF holds no text: perhaps it was scanned", field="file")
    return "\n\n".join(p.strip() for p in pages if p.strip())
