"""What a connection sends beside what every request says by itself: headers, and fields of the body."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from typing import Any

from nomikon.core.errors import DomainError

LONGEST_FIELDS = 20_000
_HEADER = re.compile(r"[A-Za-z0-9!#$%&'*+.^_`|~-]{1,100}")
_VALUE = re.compile(r"[\x20-\x7e]{0,4000}")
# What every request says by itself.
_OWN_HEADERS = {
    "content-type",
    "content-length",
    "accept",
    "host",
    "transfer-encoding",
    "connection",
}
_OWN_FIELDS = {"model", "messages", "stream", "stream_options", "text_input", "parameters", "seed"}


class BadExtrasError(DomainError):
    """A header or a field of the body that cannot be sent; `field` says which of the two."""

    code = "connection_invalid"


def check_headers(headers: Mapping[str, Any]) -> None:
    """Raises BadExtrasError for a header that cannot be sent, or that the program says itself."""
    for name, value in headers.items():
        fits = _HEADER.fullmatch(name) and isinstance(value, str) and _VALUE.fullmatch(value)
        if not fits:
            raise BadExtrasError(
                f"the header {name[:60]!r} cannot be sent: a name of letters, digits and "
                "hyphens, and a text on one line",
                field="headers",
            )
        if name.lower() in _OWN_HEADERS:
            raise BadExtrasError(
                f"the header {name} is the program's own and cannot be given", field="headers"
            )


def check_body_fields(fields: Mapping[str, Any]) -> None:
    """Raises BadExtrasError for a field that an arm says itself, and where they are too long."""
    if taken := sorted(set(fields) & _OWN_FIELDS):
        raise BadExtrasError(
            f"the field {taken[0]} is the program's own: an arm's settings or its prompt say it",
            field="body_fields",
        )
    if len(json.dumps(dict(fields))) > LONGEST_FIELDS:
        raise BadExtrasError(
            f"the fields are longer than {LONGEST_FIELDS:,} characters", field="body_fields"
        )
