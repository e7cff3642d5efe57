"""What every command shares: reading files, refusing them in one line, answering."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NoReturn

import click

from nomikon.core.errors import DomainError
from nomikon.core.foreign_words import of_json
from nomikon.core.prompts import Prompt, parse_prompt_file
from nomikon.os_words import os_words

AMISS, UNUSABLE = 1, 2


class Unusable(click.ClickException):
    """Input that cannot be used; told in one line."""

    exit_code = UNUSABLE


@contextlib.contextmanager
def told() -> Iterator[None]:
    """Data that this version cannot use is refused in one line, like any other input."""
    try:
        yield
    except DomainError as error:
        raise Unusable(error.message) from error
    except OSError as error:
        raise Unusable(os_words(error)) from error


def refuse(path: str | Path, text: str, line: int | None = None) -> NoReturn:
    """Stop with `file:line: what is wrong`."""
    where = f"{path}:{line}" if line else str(path)
    raise Unusable(f"{where}: {text}")


def read_text(path: Path) -> str:
    """A file as UTF-8 text."""
    try:
        return path.read_bytes().decode("utf-8-sig")
    except FileNotFoundError:
        refuse(path, "there is no such file")
    except OSError as error:
        raise Unusable(os_words(error)) from error
    except UnicodeDecodeError as error:
        line = error.object[: error.start].count(b"\n") + 1
        refuse(path, "not UTF-8", line)


def read_json(path: Path) -> Any:
    """A file as JSON."""
    text = read_text(path)
    try:
        return json.loads(text, parse_constant=no_constant)
    except (ValueError, RecursionError) as error:
        refuse(path, f"not JSON: {of_json(error)}", getattr(error, "lineno", None))


def no_constant(name: str) -> Any:
    raise ValueError(f"{name} is no JSON value")


def read_prompt(path: Path) -> Prompt:
    """A prompt file; newlines are kept as they are."""
    try:
        return parse_prompt_file(read_text(path))
    except DomainError as error:
        refuse(path, error.message, error.facts.get("line"))


def answer_with(document: dict[str, Any], as_json: bool, lines: list[str]) -> None:
    """One JSON document on standard output, or lines for people."""
    if as_json:
        click.echo(json.dumps(document, ensure_ascii=False, allow_nan=False))
    else:
        click.echo("\n".join(lines))


def ask_json(command: Any) -> Any:
    """The --json flag."""
    return click.option("--json", "as_json", is_flag=True, help="one JSON document")(command)


FILE = click.Path(path_type=Path)
FOLDER = click.Path(path_type=Path, file_okay=False, exists=True)
