"""Whether a database is where it was at the last start, or is a copy or was restored.

A copy must not go on with the trials of its original: it would pay for every answer again.
Beside the database stands a small file that names it by its inode and says how far its events
had come. A copy has another inode; one that was put back has come less far.
"""

from __future__ import annotations

import json
import os
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

FILE = "place"
# A mark is only told once it is this old: what a power cut takes from the newest commits
# must not look like a database that was put back.
MARK_LAGS_S = 60.0


@dataclass(frozen=True)
class Place:
    """inode: of the database file. events: ids given out in its event table."""

    inode: int
    events: int


def place_of(database: Path) -> Place:
    """Where a database is now, and how far it has come."""
    with closing(sqlite3.connect(database, timeout=20)) as connection:
        row = connection.execute(
            "SELECT seq FROM sqlite_sequence WHERE name = 'ledger_event'"
        ).fetchone()
    return Place(os.stat(database).st_ino, row[0] if row else 0)


def same_place(kept: Place | None, now: Place) -> bool:
    """Whether what was kept at the last start, and since, fits what is found now."""
    return kept is not None and kept.inode == now.inode and kept.events <= now.events


def kept_place(folder: Path) -> Place | None:
    """What the last start wrote down; None where nothing is, or nothing that can be read."""
    try:
        row = json.loads((folder / FILE).read_text(encoding="ascii"))
        return Place(int(row["inode"]), int(row["events"]))
    except (OSError, ValueError, KeyError, TypeError):
        return None


def keep_place(folder: Path, place: Place) -> None:
    """Write down where the database is; a half-written file never takes the place of a whole one."""
    made = folder / f"{FILE}.new"
    made.write_text(json.dumps({"inode": place.inode, "events": place.events}), encoding="ascii")
    os.replace(made, folder / FILE)


class Marker:
    """Keeps the place file up with a database at work, a minute behind it."""

    def __init__(self, folder: Path, database: Path) -> None:
        self._folder, self._database = folder, database
        self._seen: Place | None = None
        self._seen_at = float("-inf")

    def note(self, now_s: float) -> None:
        """Call now and then; writes once a minute what stood there a minute ago."""
        if now_s - self._seen_at < MARK_LAGS_S:
            return
        if self._seen is not None:
            keep_place(self._folder, self._seen)
        self._seen, self._seen_at = place_of(self._database), now_s
