"""Keeping what is stored: backup, restore, doctor, prune."""

from __future__ import annotations

import contextlib
import fcntl
import sys
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import click

from nomikon.cli.telling import AMISS, FILE, Unusable, told


def _data_dir(command: Any) -> Any:
    return click.option("--data-dir", type=FILE, default=Path("data"), show_default=True)(command)


@contextlib.contextmanager
def _alone(data_dir: Path) -> Iterator[None]:
    """Nothing else is at work on a data directory."""
    with told(), open(data_dir / "worker.lock", "a", encoding="ascii") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise Unusable(f"Nomikon is at work on {data_dir}: stop it first") from error
        yield


@click.command("backup")
@click.argument("file", type=FILE)
@_data_dir
def backup_command(file: Path, data_dir: Path) -> None:
    """Copy the database to FILE, whole, also while everything is at work."""
    from nomikon.server.stored.backup import back_up

    with told():
        size = back_up(data_dir / "nomikon.sqlite3", file)
    click.echo(f"{file}: {size / 1e6:,.1f} MB")
    key_file = data_dir / "key-file"
    if key_file.exists():
        click.echo(
            f"Stored keys open only with {key_file}, which is no part of it: keep a copy of that "
            "elsewhere",
            err=True,
        )


@click.command("restore")
@click.argument("file", type=FILE)
@_data_dir
def restore_command(file: Path, data_dir: Path) -> None:
    """Put the copy FILE in the place of the database; the former one is kept beside it."""
    from nomikon.server.stored.backup import restore

    with told():
        data_dir.mkdir(parents=True, exist_ok=True, mode=0o700)
    with _alone(data_dir):
        kept = restore(file, data_dir / "nomikon.sqlite3", datetime.now(UTC))
        # By this the next start knows that it was put back, and asks nothing by itself.
        (data_dir / "place").unlink(missing_ok=True)
    if kept:
        click.echo(f"The former database is kept at {kept}")
    click.echo("Trials that were running in it are paused at the next start.")


@click.command("doctor")
@_data_dir
def doctor_command(data_dir: Path) -> None:
    """Look the stored work over: integrity, references, sizes, free space."""
    from nomikon.server.stored.backup import examine

    if not data_dir.is_dir():
        raise Unusable(f"{data_dir} is not there")
    health = examine(data_dir, data_dir / "nomikon.sqlite3")
    for line in health.told:
        click.echo(line)
    for line in health.wrong:
        click.echo(line, err=True)
    if health.wrong:
        click.echo(
            "Put a copy back with nomikon restore, or ask for help with these lines", err=True
        )
        sys.exit(AMISS)
    click.echo("Nothing is amiss")


@click.command("prune")
@click.option(
    "--older-than",
    "days",
    type=click.IntRange(0, 36_500),
    default=30,
    show_default=True,
    metavar="DAYS",
)
@click.option("--yes", is_flag=True, help="let go of it; without this it is only told")
@_data_dir
def prune_command(days: int, yes: bool, data_dir: Path) -> None:
    """Let go of what nothing needs: answers asked again since, events, former states of unsaved texts."""
    if not (data_dir / "nomikon.sqlite3").exists():
        raise Unusable(f"{data_dir} holds no database")
    with _alone(data_dir):
        from nomikon.server.process.launch import set_up_django

        set_up_django(data_dir)
        from nomikon.server.stored.prune import prunable, prune

        now = datetime.now(UTC)
        found = prune(now, days) if yes else prunable(now, days)
    for line in found.lines():
        click.echo(line)
    click.echo(
        "All of it is gone; what was paid stays counted."
        if yes
        else f"This is older than {days} days and can go: nomikon prune --yes. Make a backup first."
    )
