"""Opening a data directory: its database brought up to date, and held where it is a copy."""

from __future__ import annotations

import contextlib
import fcntl
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from nomikon.server.stored.bring_up import BroughtUp, bring_up
from nomikon.server.stored.place import keep_place, kept_place, place_of, same_place

ACTOR = "start"
WORKER_LOCK = "worker.lock"
OPENING_LOCK = "opening.lock"
# So many held things are named at start; the rest stand on the desk.
NAMED = 4


def open_data(data_dir: Path) -> list[str]:
    """Make a data directory ready for this version; returns what a person should be told.

    Two processes that start at once wait for each other. Raises StoredStateError.
    """
    data_dir.mkdir(parents=True, exist_ok=True, mode=0o700)
    _keep_to_owner(data_dir, 0o700)
    database = Path(str(settings.DATABASES["default"]["NAME"]))
    with open(data_dir / OPENING_LOCK, "w", encoding="ascii") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        brought = bring_up(database, lock=data_dir / WORKER_LOCK, now=timezone.now())
        told = []
        if brought is not None:
            _note(brought)
            told.append(
                f"The database was of a former version ({brought.was}) and was brought up to date. "
                f"As it was, it is kept at {brought.before}"
            )
        if not same_place(kept_place(data_dir), place_of(database)):
            told += _hold()
        keep_place(data_dir, place_of(database))
    _keep_to_owner(database, 0o600)
    return told


def _keep_to_owner(path: Path, mode: int) -> None:
    """Prompts and answers are their owner's; a folder of somebody else's stays as it is."""
    with contextlib.suppress(PermissionError):
        path.chmod(mode)


def _note(brought: BroughtUp) -> None:
    """A ledger line says that it was done and where the former file is."""
    # The models can only be read once the tables are theirs.
    from nomikon.server.apps.ledger.about import about_former
    from nomikon.server.apps.ledger.models import Line

    if brought.lifted:
        about_former()
    Line.objects.create(
        at=timezone.now(),
        actor=ACTOR,
        what="database.brought_up",
        subject="database",
        subject_id=None,
        facts={"was": brought.was, "kept": brought.before.name},
    )


def _hold() -> list[str]:
    from nomikon.server.stored.hold import HoldAll

    held = HoldAll(ACTOR, timezone.now()).execute()
    if not held:
        return []
    more = f" and {len(held) - NAMED} more" if len(held) > NAMED else ""
    return [
        "This database is a copy, was restored or is of a former version, so nothing is asked by "
        f"itself. For you to go on with: {', '.join(held[:NAMED])}{more}"
    ]
