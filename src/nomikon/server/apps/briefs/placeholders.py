"""What the texts of a brief ask its cases for."""

from __future__ import annotations

from nomikon.core.errors import DomainError
from nomikon.core.prompts import (
    check_messages,
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
