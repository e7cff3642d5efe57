"""The chat-completions wire format: request bodies, and reading a stream of events."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import orjson

from nomikon.core.prompts import Message
from nomikon.models.errors import CallFailure
from nomikon.models.types import Usage

_DIRECT = (
    "temperature",
    "top_p",
    "top_k",
    "max_tokens",
    "stop",
    "presence_penalty",
    "frequency_penalty",
    "reasoning_effort",
)


def request_body(
    model: str,
    messages: Sequence[Message],
    settings: Mapping[str, Any],
    *,
    seed: int | None,
    unsupported: Sequence[str] = (),
) -> dict[str, Any]:
    """The exact body of one call; every call starts from a clean context.

    settings: as `check_settings` gives them. seed: None where it is not sent.
    unsupported: parameters this model does not take, which are never sent.
    """
    body: dict[str, Any] = {
        "model": model,
        "messages": [{"role": m.role, "content": m.content} for m in messages],
        "stream": True,
        "stream_options": {"include_usage": True},
    }
    for name in _DIRECT:
        if name in settings and name not in unsupported:
            body[name] = settings[name]
    if "response_schema" in settings and "response_schema" not in unsupported:
        body["response_format"] = {
            "type": "json_schema",
            "json_schema": {"name": "answer", "schema": settings["response_schema"]},
        }
    if seed is not None and "seed" not in unsupported:
        body["seed"] = seed
    return body


@dataclass
class ChatReader:
    """Reads the events of one streamed answer; feed it lines, then ask it for the end."""

    parts: list[str] = field(default_factory=list)
    finish_reason: str | None = None
    usage: Usage = field(default_factory=Usage)
    identity: str = ""
    done: bool = False

    def feed(self, line: bytes) -> bool:
        """Take one line of the stream; True when it brought text.

        Raises CallFailure (malformed, server_error) for what is no event.
        """
        if not line.startswith(b"data:"):
            return False
        data = line[5:].strip()
        if data == b"[DONE]":
            self.done = True
            return False
        try:
            event = orjson.loads(data)
        except ValueError as error:
            shown = data[:200].decode("utf-8", "replace")
            raise CallFailure("malformed", f"not JSON in the stream: {shown}") from error
        if not isinstance(event, dict):
            raise CallFailure("malformed", "an event of the stream is not an object")
        return self._take(event)

    def _take(self, event: dict[str, Any]) -> bool:
        if error := event.get("error"):
            text = error.get("message", "") if isinstance(error, dict) else str(error)
            raise CallFailure("server_error", str(text))
        if not self.identity:
            model, mark = event.get("model"), event.get("system_fingerprint")
            self.identity = " ".join(str(x) for x in (model, mark) if x)
        if isinstance(usage := event.get("usage"), dict):
            self.usage = read_usage(usage)
        choices = event.get("choices")
        if not isinstance(choices, list) or not choices:
            return False
        choice = choices[0]
        if not isinstance(choice, dict):
            raise CallFailure("malformed", "a choice of the stream is not an object")
        if choice.get("finish_reason"):
            self.finish_reason = str(choice["finish_reason"])
        delta = choice.get("delta")
        content = delta.get("content") if isinstance(delta, dict) else None
        if isinstance(content, str) and content:
            self.parts.append(content)
            return True
        return False

    def check_complete(self) -> None:
        """Raise CallFailure unless the stream came to its end.

        Some servers break off what runs when the next request comes, and close it with an end
        mark: without a finish reason and without a word that is no answer.
        """
        if self.finish_reason is not None or (self.done and self.text):
            return
        told = "closed without an answer" if self.done else f"after {len(self.text)} characters"
        raise CallFailure("dropped_stream", told)

    def read_whole(self, document: Any) -> None:
        """Take an answer sent in one piece. Raises CallFailure (malformed)."""
        try:
            choice = document["choices"][0]
            content = choice["message"]["content"]
        except (KeyError, IndexError, TypeError) as error:
            shown = json.dumps(document)[:200]
            raise CallFailure("malformed", f"no answer in it: {shown}") from error
        self.parts.append(content if isinstance(content, str) else "")
        self.finish_reason = choice.get("finish_reason")
        marks = (document.get("model"), document.get("system_fingerprint"))
        self.identity = " ".join(str(m) for m in marks if m)
        if isinstance(usage := document.get("usage"), dict):
            self.usage = read_usage(usage)
        self.done = True

    @property
    def text(self) -> str:
        """The answer so far."""
        return "".join(self.parts)


def read_usage(usage: Mapping[str, Any]) -> Usage:
    """Token counts; a count that is no whole number from 0 is none."""

    def count(name: str) -> int | None:
        value = usage.get(name)
        if isinstance(value, bool) or not isinstance(value, int) or value < 0:
            return None
        return value

    return Usage(count("prompt_tokens"), count("completion_tokens"))
