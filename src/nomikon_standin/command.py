"""The command that runs the simulated server, and how the program finds it: by entry points."""

from __future__ import annotations

import os
import sys
import threading
from pathlib import Path

import click

from nomikon_standin.models import PERSONAS


@click.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=click.IntRange(1, 65535), default=8100, show_default=True)
@click.option("--faults", type=click.Path(path_type=Path), help="misbehave as this JSON file says")
@click.option(
    "--pace",
    type=click.FloatRange(0, 100),
    default=1.0,
    show_default=True,
    help="times the models' own delays; 0 answers at once",
)
def standin(host: str, port: int, faults: Path | None, pace: float) -> None:
    """Run the simulated model server."""
    _hold_to_parent()
    from nomikon_standin.faults import read_faults
    from nomikon_standin.server import serve

    plan = None
    if faults is not None:
        try:
            plan = read_faults(faults)
        except (OSError, ValueError, TypeError, KeyError) as error:
            raise click.UsageError(f"{faults}: {error}") from error
    serve(host=host, port=port, faults=plan, pace=pace)


def _hold_to_parent() -> None:
    """End with whoever started it: the pipe that it was given closes then."""
    told = os.environ.pop("NOMIKON_LIFELINE", "")
    if told.isdecimal():
        threading.Thread(target=_end_after, args=[int(told)], daemon=True).start()


def _end_after(pipe: int) -> None:
    os.read(pipe, 1)
    os._exit(1)


def companion(port: int) -> list[str]:
    """The command line of a simulated server on a port of this machine, for who starts processes."""
    return [sys.executable, "-m", "nomikon_standin", "--port", str(port)]


def contexts() -> dict[str, int]:
    """How many tokens each of its models holds, by name."""
    return {name: persona.context for name, persona in PERSONAS.items()}


def main() -> None:
    """Entry point of `nomikon-standin`."""
    standin()
