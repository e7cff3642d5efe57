"""Cases: reading and writing tables of them."""

from nomikon.core.cases.spreadsheets import read_xlsx, write_xlsx
from nomikon.core.cases.tables import Refused, Table, decode, read_csv, read_jsonl, write_csv

__all__ = [
    "Refused",
    "Table",
    "decode",
    "read_csv",
    "read_jsonl",
    "read_xlsx",
    "write_csv",
    "write_xlsx",
]
