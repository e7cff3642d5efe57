"""The shape of a database: its tables and their columns, which tell what state it is of.

What its migration table claims is not asked: migrations were once edited in place, so the
same claim stands in databases of different shapes.
"""

from __future__ import annotations

import hashlib
import sqlite3
from collections.abc import Mapping
from pathlib import Path

# The apps whose tables hold a person's work.
APPS = (
    "baselines",
    "briefs",
    "connections",
    "consultations",
    "culprits",
    "datasets",
    "ledger",
    "reviews",
    "rounds",
    "trials",
    "twins",
    "verdicts",
    "weights",
)

Shape = Mapping[str, tuple[str, ...]]


class NoDatabaseError(ValueError):
    """The file is there and is no SQLite database, or a damaged one."""


def read_shape(path: Path) -> dict[str, tuple[str, ...]]:
    """Tables of our apps with their columns, sorted. Empty for a file without any.

    Raises NoDatabaseError for a file that SQLite cannot read, sqlite3.OperationalError
    where it may not be opened.
    """
    # A database in WAL mode may need its side files: read-only would refuse it.
    with _opened(path) as connection:
        try:
            names = [
                name
                for (name,) in connection.execute(
                    "SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name"
                )
                if name.split("_", 1)[0] in APPS
            ]
            return {
                name: tuple(
                    sorted(row[1] for row in connection.execute(f'PRAGMA table_info("{name}")'))
                )
                for name in names
            }
        except sqlite3.DatabaseError as error:
            if isinstance(error, sqlite3.OperationalError):
                raise
            raise NoDatabaseError(str(error)) from error


def other_tables(path: Path) -> list[str]:
    """Tables that no part of Nomikon makes."""
    with _opened(path) as connection:
        found = connection.execute(
            "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'"
        )
        return sorted(
            name for (name,) in found if name.split("_", 1)[0] not in (*APPS, "django", "auth")
        )


def digest(shape: Shape) -> str:
    """A short name of a shape; the same for the same tables and columns, in whatever order."""
    told = ";".join(f"{table}({','.join(shape[table])})" for table in sorted(shape))
    return hashlib.sha256(told.encode()).hexdigest()[:16]


class _opened:
    """A connection that is really closed; sqlite3's own context only ends the transaction."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def __enter__(self) -> sqlite3.Connection:
        self._connection = sqlite3.connect(self._path, timeout=20)
        return self._connection

    def __exit__(self, *about: object) -> None:
        self._connection.close()
