"""The wire protocols by name. Another one is a module here, listed in PROTOCOLS, with its test."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nomikon.core.prompts import Message
from nomikon.models.protocols.base import WireProtocol
from nomikon.models.protocols.chat import ChatCompletions
from nomikon.models.protocols.generate import OpenInference
from nomikon.models.types import Connection

PROTOCOLS: dict[str, WireProtocol] = {p.name: p for p in (ChatCompletions(), OpenInference())}

__all__ = ["PROTOCOLS", "WireProtocol", "request_body", "texts_of"]


def request_body(
    connection: Connection,
    model: str,
    messages: Sequence[Message],
    settings: Mapping[str, Any],
    *,
    seed: int | None,
    unsupported: Sequence[str] = (),
) -> dict[str, Any]:
    """The exact body of one call; every call starts from a clean context.

    settings: as `check_settings` gives them. seed: None where it is not sent.
    unsupported: parameters this model does not take, which are never sent; what the protocol
    has no word for is left out, too. The connection's own fields come last.
    """
    protocol = PROTOCOLS[connection.protocol]
    body = protocol.body(
        model,
        messages,
        settings,
        seed=seed,
        unsupported=(*unsupported, *protocol.never_sent),
        output_limit=connection.output_limit,
    )
    return body | dict(connection.body_fields)


def texts_of(body: Mapping[str, Any]) -> list[str]:
    """The texts of a request body of any protocol, for counting their tokens."""
    for protocol in PROTOCOLS.values():
        texts = protocol.texts(body)
        if texts is not None:
            return texts
    return []
