"""What kind of values a column holds: text, long text, number, label or JSON."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable
from typing import Any

from nomikon.core.errors import TableError
from nomikon.core.foreign_words import of_json

TEXT, LONG_TEXT, NUMBER, LABEL, JSON = "text", "long-text", "number", "label", "json"
KINDS = (TEXT, LONG_TEXT, NUMBER, LABEL, JSON)
# A value longer than this, or of several lines, wants more room than a cell.
LONG = 160
# A column of at most so many different values, each seen twice or more on average, holds labels.
MOST_LABELS = 20


def guess_kind(values: Iterable[Any]) -> str:
    """The kind of a column from some of its values; empty ones tell nothing.

    >>> guess_kind(["3", "4.5", ""])
    'number'
    """
    seen = [v for v in values if v is not None and v != ""]
    if not seen:
        return TEXT
    if all(as_number(v) is not None for v in seen):
        return NUMBER
    if all(isinstance(v, (dict, list)) or _is_json_text(v) for v in seen):
        return JSON
    texts = [v if isinstance(v, str) else json.dumps(v, ensure_ascii=False) for v in seen]
    if any(len(t) > LONG or "\n" in t for t in texts):
        return LONG_TEXT
    different = len(set(texts))
    if different <= MOST_LABELS and len(texts) >= 2 * different and max(map(len, texts)) <= 40:
        return LABEL
    return TEXT


def as_number(value: Any) -> float | None:
    """A value as a finite number, None where it is none. A leading zero is a code, not a number.

    >>> as_number("4.50"), as_number("four")
    (4.5, None)
    """
    if isinstance(value, bool):
        return None
    if isinstance(value, (int, float)):
        return float(value) if math.isfinite(value) else None
    if not isinstance(value, str):
        return None
    text = value.strip()
    digits = text.lstrip("+-")
    if len(digits) > 1 and digits[0] == "0" and digits[1].isdigit():
        return None
    try:
        number = float(text)
    except ValueError:
        return None
    return number if math.isfinite(number) and "_" not in text else None


def _is_json_text(value: Any) -> bool:
    if not isinstance(value, str) or value.lstrip()[:1] not in ("{", "["):
        return False
    try:
        json.loads(value)
    except (ValueError, RecursionError):
        return False
    return True


def typed_value(text: str, kind: str, former: Any, *, column: str) -> Any:
    """What a person typed into a cell, as it is kept.

    A value that was no text stays one of its own sort where the text reads as
    such; everything else is kept as typed. Raises TableError where the text is
    no value of the column's kind.
    """
    if text == "":
        return ""
    if kind == NUMBER:
        number = as_number(text)
        if number is None:
            raise TableError(f"{column} is a number; {text[:60]!r} is none", field=column)
        return _plain(number, text) if isinstance(former, (int, float)) else text
    if kind == JSON or isinstance(former, (dict, list)):
        try:
            value = json.loads(text, parse_constant=_no_constant)
        except RecursionError as error:
            raise TableError(f"{column}: nested too deeply to read", field=column) from error
        except ValueError as error:
            raise TableError(
                f"{column} is JSON; this is none: {of_json(error)}", field=column
            ) from error
        return text if isinstance(former, str) else value
    if isinstance(former, bool) and text in ("true", "false"):
        return text == "true"
    if isinstance(former, (int, float)) and (number := as_number(text)) is not None:
        return _plain(number, text)
    return text


def _plain(number: float, text: str) -> int | float:
    try:
        return int(text)
    except ValueError:
        return number


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is no JSON value")
