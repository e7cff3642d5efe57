"""Request bodies that can be kept: JSON of ordinary depth, with numbers and texts that a database holds."""

from __future__ import annotations

from collections.abc import Mapping
from typing import IO, Any

from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser

from nomikon.core.plain_json import PlainJsonError, read_plain


class PlainParser(JSONParser):
    """JSON; refused in words where it is deeper than anybody writes, or holds what cannot be kept."""

    def parse(
        self,
        stream: IO[Any],
        media_type: str | None = None,
        parser_context: Mapping[str, Any] | None = None,
    ) -> Any:
        """The document. Raises ParseError."""
        return read_body(stream.read())


def read_body(raw: bytes) -> Any:
    """The document of a request's body. Raises ParseError."""
    try:
        return read_plain(raw, any_number=True)
    except PlainJsonError as error:
        raise ParseError(f"the request {error}") from error
