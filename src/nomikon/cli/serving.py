"""Processes: serve, demo, worker."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click

from nomikon.cli.telling import FILE, FOLDER, told


def _data_dir(command: Any) -> Any:
    return click.option("--data-dir", type=FILE, default=Path("data"), show_default=True)(command)


@click.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=click.IntRange(1, 65535), default=8000, show_default=True)
@click.option(
    "--open-to-anyone",
    is_flag=True,
    help="let other machines reach the page; there are no accounts: who reaches it can do everything",
)
@click.option(
    "--key-env",
    multiple=True,
    metavar="NAME",
    help="an environment variable that connections may use for their key, besides NOMIKON_KEY_*",
)
@click.option(
    "--files",
    type=FOLDER,
    help="the folder whose files datasets may be tied to (default: files in the data directory)",
)
@_data_dir
def serve(
    host: str,
    port: int,
    data_dir: Path,
    open_to_anyone: bool,
    key_env: tuple[str, ...],
    files: Path | None,
) -> None:
    """Serve the page and run trials: the web process and the worker."""
    from nomikon.server.process.launch import serve as run

    with told():
        sys.exit(
            run(
                host=host,
                port=port,
                data_dir=data_dir,
                open_to_anyone=open_to_anyone,
                key_env=key_env,
                files=files,
            )
        )


@click.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=click.IntRange(1, 65535), default=8000, show_default=True)
@click.option("--no-serve", is_flag=True, help="seed, run the demo's trials, and stop")
@_data_dir
def demo(host: str, port: int, no_serve: bool, data_dir: Path) -> None:
    """Seed the demo, really running its trials against simulated models, and serve it."""
    from nomikon.server.process.launch import demo as run

    with told():
        sys.exit(run(host=host, port=port, data_dir=data_dir, serving=not no_serve))


@click.command()
@_data_dir
def worker(data_dir: Path) -> None:
    """Run trials of a data directory (serve starts this by itself)."""
    from nomikon.server.process.launch import worker as run

    with told():
        run(data_dir=data_dir)
