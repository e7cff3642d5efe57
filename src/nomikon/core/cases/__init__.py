"""Cases: reading and writing tables of them."""

from nomikon.core.cases.spreadsheets import open_xlsx, read_xlsx, write_xlsx
from nomikon.core.cases.tables import (
    OpenTable,
    Record,
    Refused,
    Table,
    open_csv,
    open_jsonl,
    read_csv,
    read_jsonl,
    write_csv,
)

__all__ = [
    "OpenTable",
    "Record",
    "Refused",
    "Table",
    "open_csv",
    "open_jsonl",
    "open_xlsx",
    "read_csv",
    "read_jsonl",
    "read_xlsx",
    "write_csv",
    "write_xlsx",
]
