"""What is installed beside this program and works with it, found by entry points and never by name.

`nomikon.commands`: further commands. `nomikon.companions`: servers that a demo starts beside itself,
each a function from a port to a command line. `nomikon.contexts`: how many tokens models hold, by name.
"""

from __future__ import annotations

from collections.abc import Callable
from importlib.metadata import entry_points
from typing import Any

COMMANDS, COMPANIONS, CONTEXTS = "nomikon.commands", "nomikon.companions", "nomikon.contexts"


def further_commands() -> dict[str, Callable[[], Any]]:
    """Loaders of the commands that others bring, by name."""
    return {e.name: e.load for e in entry_points(group=COMMANDS)}


def model_server(port: int) -> list[str] | None:
    """The command line of a model server that needs no set-up; None where none is installed."""
    for found in entry_points(group=COMPANIONS):
        line: list[str] = found.load()(port)
        return line
    return None


def known_contexts() -> dict[str, int]:
    """Tokens that a model holds, for the models that are known without being asked."""
    found: dict[str, int] = {}
    for entry in entry_points(group=CONTEXTS):
        found |= entry.load()()
    return found
