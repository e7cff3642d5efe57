"""Messages as the API answers them."""

from __future__ import annotations

from collections.abc import Iterable

from nomikon.core.prompts import Message
from nomikon.server.apps.briefs.reads import MessageShape


def message_rows(messages: Iterable[Message]) -> list[MessageShape]:
    """Role, content and step of each, in order."""
    return [{"role": m.role, "content": m.content, "step": m.step} for m in messages]
