"""The JSON that a model was asked for, out of its reply."""

from __future__ import annotations

import json
from typing import Any


def json_of(reply: str) -> Any:
    """The value of a reply that is JSON, bare or in one code fence.

    Words before or after it are not passed over: they may take it back. No NaN
    and no infinities. Raises ValueError with what is wrong, in words.
    """
    body = reply.strip()
    if body.startswith("```") and body.endswith("```") and body.count("```") == 2:
        body = body[3:-3].split("\n", 1)[-1]
    try:
        return json.loads(body, parse_constant=_no_constant)
    except RecursionError as error:
        raise ValueError("the reply is nested too deeply to read") from error
    except ValueError as error:
        raise ValueError(f"the reply is not the JSON that was asked for: {error}") from error


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is no JSON value")


def listed(reply: str, key: str) -> list[Any]:
    """The list a reply holds: bare, or under this key of an object. Raises ValueError."""
    value = json_of(reply)
    rows = value.get(key) if isinstance(value, dict) else value
    if not isinstance(rows, list):
        raise ValueError(f'the reply holds no list "{key}"')
    return rows
