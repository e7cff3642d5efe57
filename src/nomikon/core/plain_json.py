"""JSON that can be kept: of ordinary depth, with numbers and texts that a database holds."""

from __future__ import annotations

import json
import math
from typing import Any

# Which numbers a field takes it says itself; what 64 bits do not hold no reader of JSON is sure to read.
MOST_DIGITS = 40
LEAST, MOST = -(2**63), 2**64 - 1
DEEPEST = 100


class PlainJsonError(ValueError):
    """A text is no JSON that can be kept; it says why, without a subject: "is not JSON: …"."""


def read_plain(text: str | bytes, *, any_number: bool = False) -> Any:
    """The document of a text. Raises PlainJsonError.

    any_number: whole numbers beyond 64 bits are let through, for fields that say themselves what
    they take.

    >>> read_plain('{"n": 1}')
    {'n': 1}
    >>> read_plain('{"n": 1e999}')
    Traceback (most recent call last):
    ...
    nomikon.core.plain_json.PlainJsonError: is not JSON that can be kept: the number 1e999 is too large
    """
    try:
        found = json.loads(text, parse_constant=_no_constant, parse_int=_whole, parse_float=_finite)
    except json.JSONDecodeError as error:
        place = f"character {error.colno}"
        if error.lineno > 1:
            place = f"line {error.lineno}, {place}"
        raise PlainJsonError(f"is not JSON: it goes wrong at {place}") from error
    except RecursionError as error:
        raise PlainJsonError("is nested too deep") from error
    except UnicodeDecodeError as error:
        raise PlainJsonError("is not UTF-8") from error
    check_plain(found, any_number=any_number)
    return found


def _no_constant(name: str) -> None:
    raise PlainJsonError(f"is not JSON: {name} is no value of it")


def _whole(text: str) -> int:
    if len(text.lstrip("-")) > MOST_DIGITS:
        raise PlainJsonError(
            f"is not JSON that can be kept: the number {text[:24]}… has more than {MOST_DIGITS} digits"
        )
    return int(text)


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise PlainJsonError(f"is not JSON that can be kept: the number {text[:24]} is too large")
    return value


def check_plain(document: Any, *, any_number: bool = False) -> None:
    """Raises PlainJsonError for a document that is too deep or holds what cannot be kept.

    Level by level, without going into itself.
    """
    level, depth = [document], 0
    while level:
        depth += 1
        if depth > DEEPEST:
            raise PlainJsonError(f"is nested more than {DEEPEST} deep")
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
            elif isinstance(node, int) and not (any_number or LEAST <= node <= MOST):
                raise PlainJsonError(f"holds the number {node}, which does not fit into 64 bits")
        level = inner


def _check_text(text: str) -> None:
    if text.isascii():
        odd = "\x00" in text
    else:
        odd = "\x00" in text or any("\ud800" <= c <= "\udfff" for c in text)
    if odd:
        raise PlainJsonError("holds what is no character")


def shown(value: Any, limit: int = 60) -> str:
    """A value as short text for a why.

    >>> shown('a  b')
    'a  b'
    """
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    return text if len(text) <= limit else text[: limit - 1] + "…"
