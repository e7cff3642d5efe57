"""Answers as JSON."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import Any

import orjson
from rest_framework.renderers import BaseRenderer

from nomikon.core.plain_json import LEAST, MOST

OPTIONS = (
    orjson.OPT_UTC_Z
    | orjson.OPT_NON_STR_KEYS
    | orjson.OPT_SERIALIZE_NUMPY
    # Names of states and the like are strings of a class of their own.
    | orjson.OPT_PASSTHROUGH_SUBCLASS
)


class PlainRenderer(BaseRenderer):
    """JSON straight from what builders made; what is no number (nan) is null."""

    media_type = "application/json"
    format = "json"
    charset = None

    def render(
        self,
        data: Any,
        accepted_media_type: str | None = None,
        renderer_context: Mapping[str, Any] | None = None,
    ) -> bytes:
        if data is None:
            return b""
        try:
            return orjson.dumps(data, default=_other, option=OPTIONS)
        except TypeError:
            # Stored before such values were refused: the page must open all the same.
            return orjson.dumps(_kept(data), default=_other, option=OPTIONS)


def _kept(value: Any) -> Any:
    """The same without what no JSON can hold: numbers of more than 64 bits, halves of characters."""
    if isinstance(value, Mapping):
        return {_kept(k): _kept(v) for k, v in value.items()}
    if isinstance(value, (list, tuple, set, frozenset)):
        return [_kept(v) for v in value]
    if isinstance(value, int) and not LEAST <= value <= MOST:
        return str(value)
    if isinstance(value, str):
        return value.encode("utf-8", "replace").decode()
    return value


def _other(value: Any) -> Any:
    if isinstance(value, Decimal):
        return float(value)
    if isinstance(value, str):
        return str(value)
    if isinstance(value, Mapping):
        return dict(value)
    if isinstance(value, (tuple, set, frozenset, list)):
        return list(value)
    if isinstance(value, int):
        return int(value)
    raise TypeError(f"no JSON is made of {type(value).__name__}")
