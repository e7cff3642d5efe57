"""The chat-completions wire format: request bodies, and reading a stream of events."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from nomikon.core.prompts import Message
from nomikon.models.errors import CallFailure, failure_of_error
from nomikon.models.protocols.base import WireProtocol, models_in
from nomikon.models.receiving import count_of, read_event
from nomikon.models.types import CHAT_COMPLETIONS, OfferedModel, Usage

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
# The fields that servers put reasoning in, and those of which an answer has at least one.
_REASONING = ("reasoning_content", "reasoning", "thinking", "thought")
_SPOKEN = ("content", "refusal", "tool_calls", "function_call", *_REASONING)


@dataclass
class ChatReader:
    """Reads the events of one streamed answer; feed it lines, then ask it for the end."""

    parts: list[str] = field(default_factory=list)
    finish_reason: str | None = None
    usage: Usage = field(default_factory=Usage)
    identity: str = ""
    done: bool = False
    refused_parts: list[str] = field(default_factory=list)
    reasoned_parts: list[str] = field(default_factory=list)
    _tools: dict[int, list[str]] = field(default_factory=dict)

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
            event = read_event(data)
        except ValueError as error:
            raise CallFailure("malformed", "not JSON in the stream") from error
        if not isinstance(event, dict):
            raise CallFailure("malformed", "an event of the stream is not an object")
        return self._take(event)

    def _take(self, event: dict[str, Any]) -> bool:
        if error := event.get("error"):
            raise failure_of_error(error)
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
            self.finish_reason = choice["finish_reason"]
        delta = choice.get("delta")
        return isinstance(delta, dict) and self._take_message(delta)

    def _take_message(self, message: dict[str, Any]) -> bool:
        """Take what a message or a piece of one holds; True when it brought text."""
        for name in _REASONING:
            if thought := _words(message.get(name)):
                self.reasoned_parts.append(thought)
                # Servers in transition send the same words under two names.
                break
        if refusal := _words(message.get("refusal")):
            self.refused_parts.append(refusal)
        calls = message.get("tool_calls")
        for place, call in enumerate(calls if isinstance(calls, list) else []):
            self._take_tool(call, place)
        if isinstance(called := message.get("function_call"), dict):
            self._take_tool({"function": called}, 0)
        content = message.get("content")
        if isinstance(content, list):
            return self._take_typed(content)
        if isinstance(content, str) and content:
            self.parts.append(content)
            return True
        return False

    def _take_typed(self, content: list[Any]) -> bool:
        """A content of several parts, each with its type."""
        before = len(self.parts)
        for part in content:
            if not isinstance(part, dict):
                continue
            kind = str(part.get("type", ""))
            if "think" in kind or "reason" in kind:
                self.reasoned_parts.append(_words(part.get("thinking") or part.get("text")))
            elif kind == "refusal":
                self.refused_parts.append(_words(part.get("refusal")))
            elif text := _words(part.get("text")):
                self.parts.append(text)
        return len(self.parts) > before

    def _take_tool(self, call: Any, place: int) -> None:
        function = call.get("function") if isinstance(call, dict) else None
        if not isinstance(function, dict):
            return
        index = call.get("index")
        held = self._tools.setdefault(index if isinstance(index, int) else place, ["", ""])
        held[0] += _words(function.get("name"))
        arguments = function.get("arguments")
        held[1] += arguments if isinstance(arguments, str) else json.dumps(arguments or {})

    def check_complete(self) -> None:
        """Raise CallFailure unless the stream came to its end.

        Some servers break off what runs when the next request comes, and close it with an end
        mark: without a finish reason and without a word that is no answer.
        """
        if self.finish_reason is not None:
            return
        if self.done and (self.text or self.refused_parts or self._tools):
            return
        told = "closed without an answer" if self.done else f"after {len(self.text)} characters"
        raise CallFailure("dropped_stream", told)

    def read_whole(self, document: Any) -> None:
        """Take an answer sent in one piece. Raises CallFailure (malformed)."""
        if isinstance(document, dict) and document.get("error"):
            raise failure_of_error(document["error"])
        try:
            choice = document["choices"][0]
            message = choice["message"]
            known = [k for k in _SPOKEN if k in message]
        except (KeyError, IndexError, TypeError) as error:
            raise CallFailure("malformed", "JSON that is no answer") from error
        if not known or not isinstance(message, dict):
            raise CallFailure("malformed", "JSON that is no answer")
        self._take_message(message)
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

    @property
    def reasoning(self) -> str:
        """What came as reasoning, in a field of its own."""
        return "".join(self.reasoned_parts)

    @property
    def refusal(self) -> str:
        """What came as a refusal, in a field of its own."""
        return "".join(self.refused_parts)

    @property
    def tool_calls(self) -> tuple[tuple[str, str], ...]:
        """Tools it called: name and arguments as they came."""
        return tuple((name, arguments) for _, (name, arguments) in sorted(self._tools.items()))


def _words(value: Any) -> str:
    """A text, or the text of an object that wraps one; "" for anything else."""
    if isinstance(value, dict):
        value = value.get("content") or value.get("text")
    return value if isinstance(value, str) else ""


def read_usage(usage: Mapping[str, Any]) -> Usage:
    """Token counts; a count that is no whole number from 0 is none."""

    def count(held: Any, name: str) -> int | None:
        return count_of(held.get(name)) if isinstance(held, Mapping) else None

    return Usage(
        count(usage, "prompt_tokens"),
        count(usage, "completion_tokens"),
        count(usage.get("prompt_tokens_details"), "cached_tokens"),
        count(usage.get("completion_tokens_details"), "reasoning_tokens"),
    )


class ChatCompletions(WireProtocol):
    """Messages with roles; the model is named in the body."""

    name = CHAT_COMPLETIONS
    title = "chat-completions"
    address = "Base URL, up to and with /v1"
    completion = "/v1"
    reads = (
        'for choice in event.get("choices") or []:\n'
        '                text += (choice.get("delta") or {}).get("content") or ""'
    )

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
        body: dict[str, Any] = {
            "model": model,
            "messages": [{"role": m.role, "content": m.content} for m in messages],
            "stream": True,
            "stream_options": {"include_usage": True},
        }
        for name in _DIRECT:
            if name in settings and name not in unsupported:
                body[output_limit if name == "max_tokens" else name] = settings[name]
        if "response_schema" in settings and "response_schema" not in unsupported:
            body["response_format"] = {
                "type": "json_schema",
                "json_schema": {"name": "answer", "schema": settings["response_schema"]},
            }
        if seed is not None and "seed" not in unsupported:
            body["seed"] = seed
        return body

    def url(self, base_url: str, model: str) -> str:
        return f"{base_url.rstrip('/')}/chat/completions"

    def reader(self) -> ChatReader:
        return ChatReader()

    def texts(self, body: Mapping[str, Any]) -> list[str] | None:
        if "messages" not in body:
            return None
        return [str(m.get("content") or "") for m in body["messages"]]

    def list_request(self, base_url: str) -> tuple[str, str]:
        return "GET", f"{base_url.rstrip('/')}/models"

    def read_list(self, document: Any) -> list[OfferedModel]:
        rows = document.get("data") if isinstance(document, dict) else document
        return models_in(document, rows, "id")
