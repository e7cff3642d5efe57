"""What happens to a data directory at start: its database is recognised and brought up to date.

A database made by a former state of the program is carried over (`lifting`), one that lacks
only the newest migrations is migrated; a copy is made before either. What is not known is
refused with what it is and what to do, and left as it was found.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import shutil
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from django.db import connections
from django.db.migrations.executor import MigrationExecutor
from django.db.migrations.recorder import MigrationRecorder

from nomikon.core.errors import DomainError
from nomikon.server.stored.lifting import LiftingError, lift
from nomikon.server.stored.shape import (
    APPS,
    NoDatabaseError,
    Shape,
    digest,
    other_tables,
    read_shape,
)
from nomikon.server.stored.states import FORMER, STATES, State

# Both the old file's copy and the new file must fit, with some room for their side files.
ROOM = 2.2
SIDE_FILES = ("-wal", "-shm")


class StoredStateError(DomainError):
    """A database that this version cannot use; the text says what it is and what to do."""

    code = "database_state"


@dataclass(frozen=True)
class BroughtUp:
    """before: where the database is kept as it was. lifted: it was of a state without migrations
    of its own."""

    before: Path
    lifted: bool
    was: str


def bring_up(path: Path, *, lock: Path, now: datetime) -> BroughtUp | None:
    """Make the database at `path` one of this version; None where nothing had to be changed.

    lock: the file that the worker of this data directory holds while it runs.
    Raises StoredStateError for what cannot be brought up; nothing was changed then.
    """
    state = recognise(path)
    if state is STATES[-1]:
        _claim(state)
        return None
    if state is None:
        _migrate()
        return None
    with _alone(lock):
        before = _copy(path, now)
        lifted = state.name in FORMER.values()
        if lifted:
            _lifted(path, now)
        _claim(STATES[0] if lifted else state)
        _migrate()
    return BroughtUp(before, lifted, state.name)


def recognise(path: Path) -> State | None:
    """The state a database is of, by its tables and columns; None for a new one."""
    if not path.exists() or path.stat().st_size == 0:
        return None
    try:
        shape = read_shape(path)
        foreign = other_tables(path)
    except NoDatabaseError as error:
        raise StoredStateError(
            f"{path} is no database that can be read ({error}). Put a copy that is whole in its "
            "place, or begin with another --data-dir"
        ) from error
    except sqlite3.OperationalError as error:
        raise StoredStateError(
            f"{path} cannot be opened ({error}). See that it may be read and written, and that "
            "nothing else holds it"
        ) from error
    if not shape:
        if foreign:
            raise StoredStateError(
                f"{path} is the database of another program (it has the table {foreign[0]}): "
                "begin with another --data-dir"
            )
        return None
    name = digest(shape)
    for state in STATES:
        if state.shape == name:
            return state
    if name in FORMER:
        return State(FORMER[name], name, {})
    raise StoredStateError(_unknown(path, shape))


def _unknown(path: Path, shape: Shape) -> str:
    """Why a shape is none of ours: more than this version has, or less than any state had."""
    newest = _newest_shape()
    more = [t for t in shape if t not in newest]
    more += [f"{t}.{c}" for t in shape if t in newest for c in shape[t] if c not in newest[t]]
    if more:
        return (
            f"{path} was made by a later version of Nomikon: it has {more[0]}, which this one does "
            "not know. Start that version, or begin with another --data-dir; nothing was changed"
        )
    less = [t for t in newest if t not in shape]
    less += [f"{t}.{c}" for t in newest if t in shape for c in newest[t] if c not in shape[t]]
    return (
        f"{path} is of no state that Nomikon ever had: it lacks {less[0]}. Put back a copy that "
        "was not changed by hand, or begin with another --data-dir; nothing was changed"
    )


def _newest_shape() -> Shape:
    from django.apps import apps

    return {
        model._meta.db_table: tuple(sorted(str(f.column) for f in model._meta.concrete_fields))
        for app in APPS
        for model in apps.get_app_config(app).get_models()
    }


@contextlib.contextmanager
def _alone(lock: Path) -> Iterator[None]:
    """Nobody works on the data meanwhile; refused where somebody does."""
    lock.parent.mkdir(parents=True, exist_ok=True)
    with open(lock, "w", encoding="ascii") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise StoredStateError(
                f"another Nomikon, of a former version, runs on {lock.parent}: stop it first, then "
                "start again"
            ) from error
        yield


def _copy(path: Path, now: datetime) -> Path:
    """The database as it was, whole, beside it."""
    place = path.with_name(f"{path.stem}-before-{now:%Y%m%d-%H%M%S}{path.suffix}")
    needed = round(path.stat().st_size * ROOM)
    free = shutil.disk_usage(path.parent).free
    if free < needed:
        raise StoredStateError(
            f"{path} is of a former version and is copied before it is changed: that takes "
            f"{needed / 1e6:,.0f} MB, and {free / 1e6:,.0f} MB are free. Make room, then start again"
        )
    try:
        with (
            contextlib.closing(sqlite3.connect(path, timeout=5)) as old,
            contextlib.closing(sqlite3.connect(place)) as new,
        ):
            old.backup(new)
    except sqlite3.DatabaseError as error:
        place.unlink(missing_ok=True)
        raise StoredStateError(
            f"{path} could not be copied ({error}); nothing was changed"
        ) from error
    return place


def _lifted(path: Path, now: datetime) -> None:
    made = path.with_name(f"{path.stem}-new-{now:%Y%m%d-%H%M%S}{path.suffix}")
    connections["default"].close()
    try:
        with contextlib.closing(sqlite3.connect(path, timeout=5)) as old:
            # Into the file itself: a side file left behind would be read into the new one.
            old.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        lift(path, made)
    except (LiftingError, sqlite3.DatabaseError) as error:
        _remove(made)
        raise StoredStateError(
            f"{path} is of a former version and could not be carried over: {error}. Nothing was "
            "changed; begin with another --data-dir, or start the version it was made by"
        ) from error
    for end in SIDE_FILES:
        path.with_name(path.name + end).unlink(missing_ok=True)
    os.replace(made, path)


def _remove(path: Path) -> None:
    for end in ("", *SIDE_FILES):
        path.with_name(path.name + end).unlink(missing_ok=True)


def _claim(state: State) -> None:
    """Have the migration table say what the tables are, whatever it said before."""
    connection = connections["default"]
    executor = MigrationExecutor(connection)
    graph = executor.loader.graph
    wanted = {
        node
        for leaf in state.leaves.items()
        for node in graph.forwards_plan(leaf)
        if node[0] in APPS
    }
    claimed = {node for node in executor.loader.applied_migrations if node[0] in APPS}
    recorder = MigrationRecorder(connection)
    for app, name in sorted(claimed - wanted):
        recorder.record_unapplied(app, name)
    for app, name in sorted(wanted - claimed):
        recorder.record_applied(app, name)


def _migrate() -> None:
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
