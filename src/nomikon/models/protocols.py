"""The wire protocols by name: where a call goes, what it says, how its answer is read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol
from urllib.parse import quote

from nomikon.core.prompts import Message
from nomikon.models import chat, generate
from nomikon.models.errors import CallFailure
from nomikon.models.types import (
    CHAT_COMPLETIONS,
    OPEN_INFERENCE,
    Connection,
    OfferedModel,
    Usage,
)


class Reader(Protocol):
    """Takes an answer in, line by line or in one piece."""

    parts: list[str]
    finish_reason: str | None
    usage: Usage
    identity: str
    done: bool

    @property
    def reasoning(self) -> str:
        """What came as reasoning, in a field of its own."""

    @property
    def refusal(self) -> str:
        """What came as a refusal, in a field of its own."""

    @property
    def tool_calls(self) -> tuple[tuple[str, str], ...]:
        """Tools it called: name and arguments as they came."""

    def feed(self, line: bytes) -> bool:
        """Take one line of a stream; True when it brought text."""

    def read_whole(self, document: Any) -> None:
        """Take a reply sent in one piece."""

    def check_complete(self) -> None:
        """Raise CallFailure unless the stream came to its end."""

    @property
    def text(self) -> str:
        """The answer so far."""


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
    build = generate.request_body if connection.protocol == OPEN_INFERENCE else chat.request_body
    body = build(
        model,
        messages,
        settings,
        seed=seed,
        unsupported=(*unsupported, *never_sent(connection.protocol)),
        output_limit=connection.output_limit,
    )
    return body | dict(connection.body_fields)


def never_sent(protocol: str) -> tuple[str, ...]:
    """Settings that a protocol has no word for."""
    return generate.UNSUPPORTED if protocol == OPEN_INFERENCE else ()


def call_url(protocol: str, base_url: str, model: str) -> str:
    """The address of a call."""
    base = base_url.rstrip("/")
    if protocol == OPEN_INFERENCE:
        return f"{_v2(base)}/models/{quote(model, safe='')}/generate_stream"
    assert protocol == CHAT_COMPLETIONS, protocol
    return f"{base}/chat/completions"


def _v2(base: str) -> str:
    """With or without the protocol's own first step: both are written by people."""
    return base if base.endswith("/v2") else f"{base}/v2"


def reader_of(protocol: str) -> Reader:
    """A fresh reader for one answer."""
    return generate.GenerateReader() if protocol == OPEN_INFERENCE else chat.ChatReader()


def texts_of(body: Mapping[str, Any]) -> list[str]:
    """The texts of a request body, for counting their tokens."""
    if "text_input" in body:
        return [str(body["text_input"])]
    return [str(m.get("content") or "") for m in body.get("messages", [])]


def list_request(protocol: str, base_url: str) -> tuple[str, str]:
    """Method and address that ask a server which models it has.

    The Open Inference Protocol keeps its list in the model repository extension.
    """
    base = base_url.rstrip("/")
    if protocol == OPEN_INFERENCE:
        return "POST", f"{_v2(base)}/repository/index"
    return "GET", f"{base}/models"


def read_list(protocol: str, document: Any) -> list[OfferedModel]:
    """The models in a server's list. Raises CallFailure (malformed)."""
    rows = document if protocol == OPEN_INFERENCE else _data(document)
    name = "name" if protocol == OPEN_INFERENCE else "id"
    if not isinstance(rows, list):
        raise CallFailure("malformed", f"no list of models in it: {str(document)[:200]}")
    found: dict[str, OfferedModel] = {}
    for row in rows:
        if not isinstance(row, dict) or not isinstance(row.get(name), str) or not row[name]:
            raise CallFailure("malformed", f"an entry without {name}: {str(row)[:200]}")
        length = next((row[k] for k in _LENGTHS if _is_length(row.get(k))), None)
        found.setdefault(row[name], OfferedModel(row[name], length, row.get("simulated") is True))
    return list(found.values())


# Servers that say how long a model's context is use one of these words.
_LENGTHS = ("context_length", "max_model_len", "context_window", "n_ctx")


def _is_length(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and value > 0


def _data(document: Any) -> Any:
    return document.get("data") if isinstance(document, dict) else document
