"""The process that reads a file: a table's columns, then its rows in pieces, or the versions in it; then its end."""

from __future__ import annotations

import contextlib
import json
import resource
import sys
import time
from typing import Any, BinaryIO

from nomikon.core.cases import OpenTable, Record, Refused, open_csv, open_jsonl, open_xlsx
from nomikon.core.cases.documents import open_documents
from nomikon.core.cases.logs import open_log
from nomikon.core.errors import DomainError, TableError
from nomikon.core.files.lineage_zip import read_versions
from nomikon.engine.reading.messages import ENDED, OPENED, REFUSED, ROWS, VERSIONS
from nomikon.engine.wire import bound_memory, send

# A piece goes when it has so many rows or characters, or so much time has passed.
PIECE_ROWS, PIECE_CHARACTERS, PIECE_S = 500, 1_000_000, 0.2
MOST_IN_ROW = 20_000_000


def main() -> None:
    """argv: what is read, as JSON: path, sort, encoding, delimiter, and processor seconds it may take."""
    told = json.loads(sys.argv[1])
    out = sys.stdout.buffer
    sys.stdout = sys.stderr
    bound_memory()
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_CPU, (told["cpu_s"], told["cpu_s"] + 1))
    # Whoever reads may have left: then there is nobody to tell.
    with contextlib.suppress(BrokenPipeError):
        _tell(told, out)
    # What is held back for a reader that left is not worth a message at the end.
    with contextlib.suppress(OSError):
        out.close()


def _tell(told: dict[str, Any], out: BinaryIO) -> None:
    try:
        with open(told["path"], "rb") as file:
            if told["sort"] == VERSIONS:
                send(out, (VERSIONS, read_versions(file.read())))
                return
            table = _opened(file, told)
            send(
                out,
                (
                    OPENED,
                    (table.columns, table.encoding, table.delimiter, table.notes, table.sheets),
                ),
            )
            _send_rows(table, out)
            send(out, (ENDED, None))
    except DomainError as error:
        send(out, (REFUSED, (type(error), error.message, error.field, error.facts)))
    except MemoryError:
        words = "reading the file takes more memory than a file may"
        send(out, (REFUSED, (TableError, words, "file", {})))


def _opened(file: BinaryIO, told: dict[str, Any]) -> OpenTable:
    if told["sort"] == "xlsx":
        # What parts a workbook is its sheets.
        return open_xlsx(file, sheet=told["delimiter"])
    if told["sort"] == "jsonl":
        return open_jsonl(file, encoding=told["encoding"])
    if told["sort"] == "documents":
        return open_documents(file)
    if told["sort"] == "log":
        return open_log(file, encoding=told["encoding"], delimiter=told["delimiter"])
    return open_csv(file, encoding=told["encoding"], delimiter=told["delimiter"])


def _send_rows(table: OpenTable, out: BinaryIO) -> None:
    piece: list[Record | Refused] = []
    characters = 0
    sent = time.monotonic()
    for record in table.records():
        size = 0
        if isinstance(record, Record):
            size = sum(_size(v) for v in record.values.values())
            if size > MOST_IN_ROW:
                record = Refused(
                    record.line,
                    f"the row holds {size:,} characters; at most {MOST_IN_ROW:,} are read",
                )
                size = 0
        piece.append(record)
        characters += size
        now = time.monotonic()
        if len(piece) >= PIECE_ROWS or characters > PIECE_CHARACTERS or now - sent > PIECE_S:
            send(out, (ROWS, piece))
            piece, characters, sent = [], 0, now
    if piece:
        send(out, (ROWS, piece))


def _size(value: Any) -> int:
    """About how many characters a cell holds."""
    if isinstance(value, str):
        return len(value)
    return len(str(value)) if isinstance(value, (list, dict)) else 8


if __name__ == "__main__":
    main()
