"""Files of cases, as every command reads them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from nomikon.cli.common import refuse
from nomikon.core.cases import Table, read_csv, read_jsonl, read_xlsx
from nomikon.core.errors import DomainError

READERS: dict[str, Callable[[bytes], Table]] = {
    ".csv": read_csv,
    ".jsonl": read_jsonl,
    ".ndjson": read_jsonl,
    ".xlsx": read_xlsx,
}
# Columns that are no inputs.
RESERVED = ("id", "split", "tags")


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
