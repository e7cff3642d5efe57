"""Messages of a prompt, their roles and steps."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from nomikon.core.errors import EmptyPromptError, PromptError

ROLES = ("system", "user", "assistant")
_STEP = re.compile(r"[\w-]+(?: [\w-]+)*")


@dataclass(frozen=True)
class Message:
    """One part of a version: its role, its text, and the step it belongs to.

    step: None in a version of one call. In a version of several calls, a
        message belongs to the step it names; a system message that names none
        stands in front of every step.
    """

    role: str
    content: str
    step: str | None = None


@dataclass(frozen=True)
class Prompt:
    """The text under work: messages in order, default settings, and a name."""

    messages: tuple[Message, ...]
    settings: Mapping[str, Any] = field(default_factory=dict)
    name: str = ""
    task: str = "other"
    inputs: tuple[str, ...] = ()


def check_messages(rows: Sequence[Mapping[str, Any]]) -> tuple[Message, ...]:
    """Turn plain rows `{role, content, step?}` into checked messages.

    Raises PromptError for an unknown role or a content that is no text, and
    EmptyPromptError when no message holds anything but blanks. The error's
    field reads `messages.<index>.<key>`.

    >>> check_messages([{'role': 'user', 'content': 'Hi'}])
    (Message(role='user', content='Hi', step=None),)
    """
    messages = []
    for index, row in enumerate(rows):
        role, content, step = row.get("role"), row.get("content"), row.get("step")
        if role not in ROLES:
            raise PromptError(
                f"message {index + 1} has the role {role!r}; allowed are {', '.join(ROLES)}",
                field=f"messages.{index}.role",
            )
        if not isinstance(content, str):
            raise PromptError(
                f"message {index + 1} has no text: content must be a string",
                field=f"messages.{index}.content",
            )
        if "\x00" in content:
            raise PromptError(
                f"message {index + 1} holds a NUL character, which no model server accepts",
                field=f"messages.{index}.content",
            )
        if step is not None and (not isinstance(step, str) or not _STEP.fullmatch(step)):
            raise PromptError(
                f"message {index + 1} has the step name {step!r}; a later step reads it as "
                "{{steps.name}}, so it may hold letters, digits, -, _ and single blanks",
                field=f"messages.{index}.step",
            )
        messages.append(Message(role=role, content=content, step=step))
    if not any(m.content.strip() for m in messages):
        raise EmptyPromptError(
            "the prompt is empty: at least one message must hold some text", field="messages"
        )
    return tuple(messages)


def steps_of(messages: Sequence[Message]) -> list[str | None]:
    """Names of the steps in the order in which they run; [None] for a single call.

    >>> steps_of([Message('user', 'a', 'first'), Message('user', 'b', 'second')])
    ['first', 'second']
    """
    named = {m.step for m in messages if m.step is not None}
    order: list[str | None] = []
    for message in messages:
        shared = message.step is None and message.role == "system" and named
        if not shared and message.step not in order:
            order.append(message.step)
    return order or [None]


def messages_of_step(messages: Sequence[Message], step: str | None) -> list[Message]:
    """The messages one call sends: those of its step, and the shared system messages."""
    several = any(m.step is not None for m in messages)
    return [
        m for m in messages if m.step == step or (several and m.step is None and m.role == "system")
    ]


def as_rows(messages: Sequence[Message]) -> list[dict[str, Any]]:
    """Plain rows for JSON; the inverse of `check_messages`.

    >>> as_rows([Message('user', 'Hi')])
    [{'role': 'user', 'content': 'Hi', 'step': None}]
    """
    return [{"role": m.role, "content": m.content, "step": m.step} for m in messages]
