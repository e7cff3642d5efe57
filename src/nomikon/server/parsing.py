"""Request bodies that can be kept: JSON of ordinary depth, with numbers and texts that a database holds."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from typing import IO, Any

from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser

# Which numbers a field takes it says itself; more digits are no number of anything.
MOST_DIGITS = 40
DEEPEST = 100


class PlainParser(JSONParser):
    """JSON; refused in words where it is deeper than anybody writes, or holds what cannot be kept."""

    def parse(
        self,
        stream: IO[Any],
        media_type: str | None = None,
        parser_context: Mapping[str, Any] | None = None,
    ) -> Any:
        """The document. Raises ParseError."""
        raw = stream.read()
        try:
            found = json.loads(
                raw, parse_constant=_no_constant, parse_int=_whole, parse_float=_finite
            )
        except RecursionError as error:
            raise ParseError("the request is nested too deep") from error
        except UnicodeDecodeError as error:
            raise ParseError("the request is not UTF-8") from error
        except ValueError as error:
            raise ParseError(f"the request is not JSON: {error}") from error
        _check(found)
        return found


def _no_constant(name: str) -> None:
    raise ValueError(f"{name} is no JSON value")


def _whole(text: str) -> int:
    if len(text) > MOST_DIGITS:
        raise ValueError(f"the number {text[:24]}… is too large to be kept")
    return int(text)


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(f"the number {text[:24]} is too large to be kept")
    return value


def _check(document: Any) -> None:
    """Level by level, without going into itself."""
    level, depth = [document], 0
    while level:
        depth += 1
        if depth > DEEPEST:
            raise ParseError(f"the request is nested more than {DEEPEST} deep")
        inner: list[Any] = []
        for node in level:
            if isinstance(node, str):
                _check_text(node)
            elif isinstance(node, dict):
                for name in node:
                    _check_text(name)
                inner += node.values()
            elif isinstance(node, list):
                inner += node
        level = inner


def _check_text(text: str) -> None:
    if "\x00" in text or any("\ud800" <= c <= "\udfff" for c in text if c > "\u07ff"):
        raise ParseError("a text of the request holds what is no character")
