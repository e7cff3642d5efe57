"""A second writer at the worst moment: whenever a test begins to write, another connection has just written.

A write that begins while a read of its own connection is still open is refused by SQLite as soon
as anybody wrote in between, whatever is waited (SQLITE_BUSY_SNAPSHOT). A worker's beat does that by
chance, now and then; here it happens before every transaction and every write outside of one, so
that no action of the API comes through the tests with such a read open.
"""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Callable
from contextlib import closing
from typing import Any

from django.db.backends.signals import connection_created
from django.db.backends.sqlite3.base import DatabaseWrapper
from django.db.models.sql.compiler import SQLCompiler
from django.db.models.sql.constants import MULTI

TABLE = "second_writer"
_WRITES = ("INSERT", "UPDATE", "DELETE", "REPLACE")
# A read that is iterated over stays open as long as it has rows left: in tests after a few.
FEW = 2
_mine = threading.local()
# How often it wrote in this process: a test sees to it that it does.
written = 0
# Databases that have the table.
_prepared: set[str] = set()


def begin() -> None:
    """From now on every connection of this process, and of those it forks, has a second writer."""
    plain = DatabaseWrapper._start_transaction_under_autocommit

    def started(wrapper: Any) -> None:
        write_beside(wrapper)
        plain(wrapper)

    DatabaseWrapper._start_transaction_under_autocommit = started  # type: ignore[method-assign]
    execute_sql = SQLCompiler.execute_sql

    def in_small_bites(self: Any, result_type: str = MULTI, chunked_fetch: bool = False,
                       chunk_size: int = FEW) -> Any:  # fmt: skip
        return execute_sql(self, result_type, chunked_fetch, min(chunk_size, FEW))

    SQLCompiler.execute_sql = in_small_bites  # type: ignore[method-assign]
    connection_created.connect(_wrap, weak=False)


def _wrap(connection: Any, **_: Any) -> None:
    if _before_write not in connection.execute_wrappers:
        connection.execute_wrappers.append(_before_write)


def _before_write(
    execute: Callable[..., Any], sql: str, params: Any, many: bool, context: Any
) -> Any:
    connection = context["connection"]
    if sql.lstrip()[:7].upper().startswith(_WRITES) and connection.get_autocommit():
        write_beside(connection)
    return execute(sql, params, many, context)


def write_beside(wrapper: Any) -> bool:
    """One write by a connection of its own; False where the file is locked or has no such table."""
    global written
    name = str(wrapper.settings_dict["NAME"])
    if "mode=memory" in name or name == ":memory:" or getattr(_mine, "busy", False):
        return False
    _mine.busy = True
    try:
        # Without patience: where somebody else is writing, there is a second writer already.
        with closing(sqlite3.connect(name, timeout=0, isolation_level=None)) as other:
            # Nothing of it is to last: it waits for no disk.
            other.execute("PRAGMA synchronous=OFF")
            if name not in _prepared:
                other.execute(f"CREATE TABLE IF NOT EXISTS {TABLE} (n INTEGER)")
                _prepared.add(name)
            other.execute(f"INSERT OR REPLACE INTO {TABLE} (rowid, n) VALUES (1, 1)")
        written += 1
        return True
    except sqlite3.OperationalError:
        # Locked by another write; or the file was made anew, and has to be prepared again.
        _prepared.discard(name)
        return False
    finally:
        _mine.busy = False
