"""Copies of the database that are whole, made while it is at work, and put back again."""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from nomikon.core.errors import DomainError
from nomikon.os_words import os_words
from nomikon.server.refusals import refusal_in
from nomikon.server.stored.bring_up import SIDE_FILES

COPIES = "copies"
ORPHANS = """SELECT count(*) FROM datasets_case c WHERE NOT EXISTS (
    SELECT 1 FROM datasets_caserevision r JOIN datasets_entry e ON e.revision_id = r.id
    WHERE r.case_id = c.id)"""


class BackupError(DomainError):
    """A copy cannot be made or put back; the text says why."""

    code = "backup"


def back_up(database: Path, target: Path) -> int:
    """Copy a database to `target`, consistent while others write; returns its size in bytes.

    In one step: in pieces it would begin anew with every write meanwhile. The file appears whole
    or not at all. Raises BackupError.
    """
    if not database.exists():
        raise BackupError(f"{database} is not there: nothing to copy")
    if target.exists():
        raise BackupError(f"{target} is there already: name another file")
    made = target.with_name(target.name + ".part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        made.unlink(missing_ok=True)
        made.touch(0o600)
        with closing(sqlite3.connect(database, timeout=20)) as source:
            with closing(sqlite3.connect(made)) as copy:
                source.backup(copy, pages=-1)
                # One file, without files beside it.
                copy.execute("PRAGMA journal_mode=DELETE")
            if (wrong := check(made)) is not None:
                raise BackupError(f"the copy is not whole ({wrong}); {database} needs a doctor")
        os.replace(made, target)
    except (OSError, sqlite3.Error) as error:
        raise BackupError(f"{target} cannot be written: {_why(error)}") from error
    finally:
        with contextlib.suppress(OSError):
            made.unlink(missing_ok=True)
    return target.stat().st_size


def restore(source: Path, database: Path, now: datetime) -> Path | None:
    """Put a copy in the database's place; returns where the former one is kept, if there was one.

    Nothing may be at work on the data directory. Raises BackupError.
    """
    if not source.is_file():
        raise BackupError(f"{source} is not there")
    if (wrong := check(source)) is not None:
        raise BackupError(f"{source} is no whole copy of a database ({wrong}); nothing was changed")
    kept = None
    try:
        database.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        made = database.with_name(database.name + ".part")
        shutil.copyfile(source, made)
        made.chmod(0o600)
        if database.exists():
            kept = database.with_name(f"{database.name}.before-restore-{now:%Y%m%d-%H%M%S}")
            # What its side files hold belongs to the former one.
            with closing(sqlite3.connect(database, timeout=20)) as former:
                former.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            os.replace(database, kept)
        for end in SIDE_FILES:
            Path(f"{database}{end}").unlink(missing_ok=True)
        os.replace(made, database)
    except (OSError, sqlite3.Error) as error:
        raise BackupError(f"{database} cannot be put in place: {_why(error)}") from error
    return kept


def _why(error: OSError | sqlite3.Error) -> str:
    if isinstance(error, OSError):
        return os_words(error)
    return refusal_in(getattr(error, "sqlite_errorname", "") or "", str(error)).words


def check(database: Path) -> str | None:
    """What is wrong with a database file; None where it is whole."""
    try:
        with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as connection:
            told = connection.execute("PRAGMA quick_check(1)").fetchone()
            tables = connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
    except sqlite3.Error as error:
        return str(error)
    if told[0] != "ok":
        return str(told[0])[:200]
    return None if tables[0] else "it holds no tables"


@dataclass(frozen=True)
class Health:
    """What the doctor found. wrong: lines of what needs help; told: sizes and counts."""

    wrong: list[str]
    told: list[str]


def examine(data_dir: Path, database: Path) -> Health:
    """Integrity, references between rows, sizes and free space."""
    if not database.exists():
        return Health([f"{database} is not there"], [])
    wrong, told = [], []
    try:
        with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as connection:
            rows = connection.execute("PRAGMA integrity_check(10)").fetchall()
            wrong += [f"integrity: {row[0]}" for row in rows if row[0] != "ok"]
            astray: dict[tuple[str, str], int] = {}
            for table, _, parent, _ in connection.execute("PRAGMA foreign_key_check"):
                astray[table, parent] = astray.get((table, parent), 0) + 1
            wrong += [
                f"{n:,} rows of {table} name a row of {parent} that is not there"
                for (table, parent), n in astray.items()
            ]
            for name, words in (("trials_output", "answers"), ("ledger_line", "ledger lines")):
                with contextlib.suppress(sqlite3.Error):
                    (count,) = connection.execute(f"SELECT count(*) FROM {name}").fetchone()
                    told.append(f"{count:,} {words}")
            with contextlib.suppress(sqlite3.Error):
                (astray_cases,) = connection.execute(ORPHANS).fetchone()
                if astray_cases:
                    told.append(
                        f"{astray_cases:,} cases that no version of a dataset lists: a broken import left "
                        "them, and the next one clears them away"
                    )
            (free,) = connection.execute("PRAGMA freelist_count").fetchone()
            (size,) = connection.execute("PRAGMA page_size").fetchone()
            told.append(f"{free * size / 1e6:,.1f} MB of it free for new rows")
    except sqlite3.Error as error:
        wrong.append(f"{database} cannot be read: {error}")
    told.insert(0, f"database {database.stat().st_size / 1e6:,.1f} MB")
    room = shutil.disk_usage(data_dir).free
    told.append(f"{room / 1e9:,.1f} GB free on the disk")
    if room < 2 * database.stat().st_size:
        wrong.append("the disk has less free space than two copies of the database need")
    copies = sorted((data_dir / COPIES).glob("*.sqlite3"))
    told.append(
        f"{len(copies)} daily copies" + (f", the newest {copies[-1].name}" if copies else "")
    )
    return Health(wrong, told)


def keep_daily(data_dir: Path, database: Path, now: datetime, days: int) -> Path | None:
    """Make today's copy if there is none, and let those of former days go; None where nothing was made."""
    if days < 1 or not database.exists():
        return None
    folder = data_dir / COPIES
    today = folder / f"{now:%Y-%m-%d}.sqlite3"
    made = None
    if not today.exists():
        # A disk that is nearly full is for answers.
        if shutil.disk_usage(data_dir).free < 3 * database.stat().st_size:
            return None
        folder.mkdir(mode=0o700, exist_ok=True)
        back_up(database, today)
        made = today
    for old in sorted(folder.glob("????-??-??.sqlite3"))[:-days]:
        old.unlink(missing_ok=True)
    return made
