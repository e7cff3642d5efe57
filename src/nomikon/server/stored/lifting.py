"""A database from before migrations were frozen, carried over into the frozen tables.

Every former shape differs from the frozen one by columns and tables alone, so each table is
copied column by column: what the old one lacks gets the value that says "as it was then".
A new file is filled and checked before it takes the old one's place.
"""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from django.db import connections
from django.db.backends.base.base import BaseDatabaseWrapper
from django.db.migrations.executor import MigrationExecutor

from nomikon.server.stored.shape import APPS, Shape, read_shape
from nomikon.server.stored.states import FROZEN

ALIAS = "lifting"

# Columns whose value follows from the rest of the old row, as SQL over `was.<table> AS o`.
_SPENT = (
    "(SELECT COALESCE(SUM(x.cost_new), 0) FROM was.trials_output x "
    "JOIN was.trials_arm a ON a.id = x.arm_id WHERE a.trial_id = o.id)"
)
FOLLOWS = {
    ("trials_trial", "asked"): "CASE WHEN o.cancel_requested THEN 'stop' ELSE '' END",
    ("trials_trial", "spent_nano"): _SPENT,
    # The ledger told a trial's cost when it ended.
    ("trials_trial", "ledgered_nano"): (
        f"CASE WHEN o.state IN ('queued', 'running') THEN 0 ELSE {_SPENT} END"
    ),
    # Nothing was reused yet: an answer was had when its output was stored.
    ("trials_call", "answered_at"): (
        "(SELECT x.created_at FROM was.trials_output x WHERE x.id = o.output_id)"
    ),
}


class LiftingError(RuntimeError):
    """The copy does not hold what the old database held; the old one was left as it is."""


def lift(old: Path, new: Path) -> None:
    """Fill a new database file, at the frozen migrations, with all that an old one holds.

    old: of a known former shape, in use by nobody. new: where no file is yet.
    Raises LiftingError when a table did not come over whole.
    """
    with _migrated(new) as connection:
        defaults = _defaults(connection)
    shape = read_shape(old)
    made = sqlite3.connect(new, isolation_level=None)
    try:
        made.execute("ATTACH DATABASE ? AS was", (str(old),))
        made.execute("BEGIN IMMEDIATE")
        for table, columns in read_shape(new).items():
            if table in shape:
                _copy(made, table, columns, shape, defaults.get(table, {}))
        _keep_counters(made)
        _check(made, shape)
        made.execute("COMMIT")
    finally:
        made.close()


@contextlib.contextmanager
def _migrated(path: Path) -> Iterator[BaseDatabaseWrapper]:
    """A new database at the frozen migrations, as Django's own executor makes it."""
    connections.databases[ALIAS] = {**connections.databases["default"], "NAME": str(path)}
    connection = connections[ALIAS]
    try:
        executor = MigrationExecutor(connection)
        executor.migrate([*_foundations(executor), *FROZEN.items()])
        yield connection
    finally:
        connection.close()
        del connections[ALIAS]
        del connections.databases[ALIAS]


def _foundations(executor: MigrationExecutor) -> list[tuple[str, str]]:
    return [node for node in executor.loader.graph.leaf_nodes() if node[0] not in APPS]


def _defaults(connection: BaseDatabaseWrapper) -> dict[str, dict[str, Any]]:
    """For every column of the frozen tables the value of a row that says nothing of it."""
    loader = MigrationExecutor(connection).loader
    apps = loader.project_state([*FROZEN.items()]).apps
    found: dict[str, dict[str, Any]] = {}
    for model in apps.get_models():
        row = found.setdefault(model._meta.db_table, {})
        for field in model._meta.concrete_fields:
            if field.null:
                row[str(field.column)] = None
            elif field.has_default() or field.empty_strings_allowed:
                row[str(field.column)] = field.get_db_prep_save(field.get_default(), connection)
    return found


def _copy(
    made: sqlite3.Connection,
    table: str,
    columns: tuple[str, ...],
    shape: Shape,
    defaults: dict[str, Any],
) -> None:
    values, given = [], []
    for column in columns:
        if column in shape[table]:
            values.append(f'o."{column}"')
        elif rule := FOLLOWS.get((table, column)):
            values.append(rule)
        elif column in defaults:
            values.append("?")
            given.append(defaults[column])
        else:
            raise LiftingError(f"{table}.{column} has no value for rows from before it")
    names = ", ".join(f'"{c}"' for c in columns)
    made.execute(
        f'INSERT INTO "{table}" ({names}) SELECT {", ".join(values)} FROM was."{table}" o', given
    )


def _keep_counters(made: sqlite3.Connection) -> None:
    """Ids that were given out once are not given out again: pages and events hold them."""
    rows = made.execute("SELECT name, seq FROM was.sqlite_sequence").fetchall()
    for name, last in rows:
        if name.split("_", 1)[0] not in APPS:
            continue
        made.execute("DELETE FROM main.sqlite_sequence WHERE name = ?", (name,))
        made.execute("INSERT INTO main.sqlite_sequence (name, seq) VALUES (?, ?)", (name, last))


def _check(made: sqlite3.Connection, shape: Shape) -> None:
    for table in shape:
        before, after = (
            made.execute(f'SELECT COUNT(*) FROM {where}."{table}"').fetchone()[0]
            for where in ("was", "main")
        )
        if before != after:
            raise LiftingError(f"{table} has {after} rows of {before}")
    # What pointed to nothing before still does; nothing else may.
    before = set(made.execute("PRAGMA was.foreign_key_check").fetchall())
    for broken in made.execute("PRAGMA main.foreign_key_check").fetchall():
        if (broken[0], broken[1], broken[2]) not in {(b[0], b[1], b[2]) for b in before}:
            raise LiftingError(f"a row of {broken[0]} points to nothing in {broken[2]}")
