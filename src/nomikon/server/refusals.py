"""What SQLite refuses, told apart: only some of it passes by itself, and each asks for another act."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import DatabaseError


@dataclass(frozen=True)
class Refusal:
    """code: stable. passes: whether waiting may help. words: what happened and what to do."""

    code: str
    passes: bool
    words: str


BUSY = Refusal(
    "database_busy", True, "another write takes its time; nothing was changed, try again"
)
FULL = Refusal(
    "disk_full", True, "the disk is full; nothing was changed: make room, then try again"
)
READ_ONLY = Refusal(
    "database_read_only",
    True,
    "the database may only be read; nothing was changed: make its file and folder writable",
)
UNREACHABLE = Refusal(
    "database_unreachable",
    True,
    "the database file cannot be reached; nothing was changed: see that its disk is there",
)
OUTDATED = Refusal(
    "database_outdated",
    False,
    "the database is of another version than the program; stop Nomikon and start it again, which "
    "brings it up to date",
)
DAMAGED = Refusal(
    "database_damaged",
    False,
    "the database file is damaged; stop Nomikon and put back a copy that is whole",
)
UNKNOWN = Refusal("database_failed", False, "the database refused; nothing was changed")

# By SQLite's own names, where Python tells them; by its words where it does not.
_NAMES = {
    "SQLITE_BUSY": BUSY,
    "SQLITE_LOCKED": BUSY,
    "SQLITE_FULL": FULL,
    "SQLITE_READONLY": READ_ONLY,
    "SQLITE_IOERR": UNREACHABLE,
    "SQLITE_CANTOPEN": UNREACHABLE,
    "SQLITE_CORRUPT": DAMAGED,
    "SQLITE_NOTADB": DAMAGED,
}
_WORDS = (
    ("locked", BUSY),
    ("disk is full", FULL),
    ("readonly", READ_ONLY),
    ("read-only", READ_ONLY),
    ("disk i/o", UNREACHABLE),
    ("unable to open", UNREACHABLE),
    ("malformed", DAMAGED),
    ("not a database", DAMAGED),
    ("no such table", OUTDATED),
    ("no such column", OUTDATED),
    ("has no column", OUTDATED),
)


def refusal_of(error: DatabaseError) -> Refusal:
    """Which refusal an error of the database is."""
    return refusal_in(getattr(error.__cause__, "sqlite_errorname", "") or "", str(error))


def refusal_in(name: str, words: str) -> Refusal:
    """The same by SQLite's own name for it, where that is known, else by its words."""
    for known, refusal in _NAMES.items():
        # Extended names begin with the plain one: SQLITE_IOERR_WRITE.
        if name.startswith(known):
            return refusal
    said = words.lower()
    return next((refusal for part, refusal in _WORDS if part in said), UNKNOWN)
