"""What the texts of a brief ask its cases for."""

from __future__ import annotations

from collections.abc import Sequence

from nomikon.core.errors import DomainError
from nomikon.core.prompts import (
    check_messages,
    column_of,
    placeholder_names,
)
from nomikon.server.apps.briefs.models import Brief


def placeholders_of(brief: Brief) -> list[str]:
    """The placeholders of the newest version's text."""
    newest = brief.versions.order_by("-number").first()
    if newest is None:
        return []
    try:
        return placeholder_names(check_messages(newest.messages))
    except DomainError:
        # A stored version was checked when it was saved; an older rule may have let one in.
        return []


def reader_of_columns(brief: Brief, columns: Sequence[str]) -> int | None:
    """The newest version's number, where its text reads one of these columns."""
    names = placeholders_of(brief)
    newest = brief.versions.order_by("-number").first()
    read = any(column_of(name, columns) is not None for name in names)
    return newest.number if newest and read else None
