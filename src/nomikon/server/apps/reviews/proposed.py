"""Proposed amendments as they are shown."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.server.apps.reviews.reads import (
    AmendmentProposal,
)
from nomikon.server.typed import copied


def with_before(
    messages: tuple[Message, ...], rows: Sequence[Mapping[str, Any]]
) -> list[AmendmentProposal]:
    """Proposals with the text of the clause that each is about."""
    texts = {c.number: c.text for c in clauses_of(messages)}
    return [copied(AmendmentProposal, row, before=texts.get(row["clause"], "")) for row in rows]
