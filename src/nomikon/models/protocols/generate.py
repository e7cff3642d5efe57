"""The Open Inference Protocol, version 2, with its generate extension: bodies and streams.

One text goes in and one comes out; roles are not part of the protocol, so the
messages of a prompt are joined by an empty line, in their order.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote

from nomikon.core.prompts import Message
from nomikon.models.errors import CallFailure, failure_of_error
from nomikon.models.protocols.base import WireProtocol, models_in
from nomikon.models.receiving import count_of, read_event
from nomikon.models.types import OPEN_INFERENCE, OfferedModel, Usage

_DIRECT = (
    "temperature",
    "top_p",
    "top_k",
    "max_tokens",
    "stop",
    "presence_penalty",
    "frequency_penalty",
)
# What this protocol has no word for.
UNSUPPORTED = ("response_schema", "reasoning_effort")


@dataclass
class GenerateReader:
    """Reads the events of one generated stream, or a reply in one piece."""

    parts: list[str] = field(default_factory=list)
    finish_reason: str | None = None
    usage: Usage = field(default_factory=Usage)
    identity: str = ""
    done: bool = False
    # The protocol knows neither: reasoning stands in the text, and there are no tools.
    reasoning: str = ""
    refusal: str = ""
    tool_calls: tuple[tuple[str, str], ...] = ()

    def feed(self, line: bytes) -> bool:
        """Take one line of the stream; True when it brought text.

        Raises CallFailure (malformed, server_error) for what is no event.
        """
        if not line.startswith(b"data:"):
            return False
        try:
            event = read_event(line[5:])
        except ValueError as error:
            raise CallFailure("malformed", "not JSON in the stream") from error
        return self.take(event)

    def take(self, event: Any) -> bool:
        """Take one event; True when it brought text."""
        if not isinstance(event, dict):
            raise CallFailure("malformed", "an event of the stream is not an object")
        if event.get("error"):
            raise failure_of_error(event["error"])
        if not self.identity:
            marks = (event.get("model_name"), event.get("model_version"))
            self.identity = " ".join(str(m) for m in marks if m)
        details = event.get("details")
        if isinstance(details, dict):
            if details.get("finish_reason"):
                self.finish_reason = details["finish_reason"]
            self.usage = Usage(
                count_of(details.get("prompt_tokens")) or self.usage.tokens_in,
                count_of(details.get("generated_tokens")) or self.usage.tokens_out,
            )
        text = event.get("text_output")
        if isinstance(text, str) and text:
            self.parts.append(text)
            return True
        return False

    def check_complete(self) -> None:
        """The end of the stream is the end of the answer: the transport tells a broken one."""

    def read_whole(self, document: Any) -> None:
        """Take a reply sent in one piece. Raises CallFailure (malformed)."""
        if not isinstance(document, dict) or "text_output" not in document:
            self.take(document)
            raise CallFailure("malformed", f"no answer in it: {json.dumps(document)[:200]}")
        self.take(document)

    @property
    def text(self) -> str:
        """The answer so far."""
        return "".join(self.parts)


class OpenInference(WireProtocol):
    """One text in, one out; the model is named in the address."""

    name = OPEN_INFERENCE
    title = "Open Inference Protocol, v2 generate"
    address = "Base URL, up to the host or /v2"
    never_sent = UNSUPPORTED
    reads = 'text += event.get("text_output") or ""'

    def body(
        self,
        model: str,
        messages: Sequence[Message],
        settings: Mapping[str, Any],
        *,
        seed: int | None,
        unsupported: Sequence[str] = (),
        output_limit: str = "max_tokens",
    ) -> dict[str, Any]:
        parameters: dict[str, Any] = {
            output_limit if name == "max_tokens" else name: settings[name]
            for name in _DIRECT
            if name in settings and name not in unsupported
        }
        if seed is not None and "seed" not in unsupported:
            parameters["seed"] = seed
        return {"text_input": "\n\n".join(m.content for m in messages), "parameters": parameters}

    def url(self, base_url: str, model: str) -> str:
        return f"{_v2(base_url)}/models/{quote(model, safe='')}/generate_stream"

    def reader(self) -> GenerateReader:
        return GenerateReader()

    def texts(self, body: Mapping[str, Any]) -> list[str] | None:
        return [str(body["text_input"])] if "text_input" in body else None

    def list_request(self, base_url: str) -> tuple[str, str]:
        """The list stands in the protocol's model repository extension."""
        return "POST", f"{_v2(base_url)}/repository/index"

    def read_list(self, document: Any) -> list[OfferedModel]:
        return models_in(document, document, "name")


def _v2(base_url: str) -> str:
    """With or without the protocol's own first step: both are written by people."""
    base = base_url.rstrip("/")
    return base if base.endswith("/v2") else f"{base}/v2"
