"""Versions by their number."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from nomikon.core.errors import PromptError
from nomikon.server.apps.briefs.models import Brief, Version


def version_numbered(found: Brief, number: int | None, field: str = "parent") -> Version | None:
    """A brief's version; None for None. Raises PromptError for a number it does not have."""
    if number is None:
        return None
    version = found.versions.filter(number=number).first()
    if version is None:
        raise PromptError(f"this brief has no version {number}", field=field)
    return version


def version_or_404(brief_id: int, number: int) -> Version:
    return get_object_or_404(
        Version.objects.select_related("brief", "parent", "second_parent"),
        brief_id=brief_id,
        number=number,
    )
