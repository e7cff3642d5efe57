"""The `nomikon` command: every core computation has a headless twin here.

Exit status: 0 done, 1 done with something amiss, 2 unusable input (one line on
standard error: file, line, what is wrong, what is allowed).
"""

from __future__ import annotations

import importlib
import sys

import click

from nomikon.companions import further_commands

__all__ = ["cli", "main"]

# Where each command lives. A command's module is read only when it is asked
# for: reading SciPy takes a second, which `render` has no use for.
COMMANDS = {
    "render": ("texts", "render_command"),
    "clauses": ("texts", "clauses_command"),
    "diff": ("texts", "diff_command"),
    "check": ("checking", "check_command"),
    "read": ("reading", "read_command"),
    "wish": ("wishing", "wish_command"),
    "reply": ("replying", "reply_command"),
    "outcome": ("replying", "outcome_command"),
    "try": ("trying", "try_command"),
    "score": ("figures", "score_command"),
    "compare": ("figures", "compare_command"),
    "power": ("figures", "power_command"),
    "culprits": ("culprits", "culprits_command"),
    "twins": ("twinning", "twins_command"),
    "effects": ("effects", "effects_command"),
    "pairs": ("readers", "pairs_command"),
    "agree": ("readers", "agree_command"),
    "cases": ("cases", "cases_group"),
    "run": ("running", "run_command"),
    "watch": ("watching", "watch_command"),
    "weigh": ("weighing", "weigh_command"),
    "backup": ("keeping", "backup_command"),
    "restore": ("keeping", "restore_command"),
    "doctor": ("keeping", "doctor_command"),
    "prune": ("keeping", "prune_command"),
    "serve": ("serving", "serve"),
    "demo": ("serving", "demo"),
    "worker": ("serving", "worker"),
}


class Lazy(click.Group):
    """A group that reads the module of a command when it is used."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return [*COMMANDS, *further_commands()]

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            further = further_commands().get(cmd_name)
            return further() if further else None
        module, name = COMMANDS[cmd_name]
        found: click.Command = getattr(importlib.import_module(f"nomikon.cli.{module}"), name)
        return found


@click.group(cls=Lazy)
@click.version_option(package_name="nomikon", message="%(prog)s %(version)s")
def cli() -> None:
    """Write, run, compare and choose prompts for language models, with evidence."""


def main() -> None:
    """Entry point: every refusal is one line on standard error."""
    try:
        status = cli.main(standalone_mode=False)
    except click.exceptions.Abort:
        sys.exit(130)
    except click.ClickException as error:
        click.echo(" ".join(error.format_message().split()), err=True)
        sys.exit(error.exit_code)
    sys.exit(status if isinstance(status, int) else 0)
