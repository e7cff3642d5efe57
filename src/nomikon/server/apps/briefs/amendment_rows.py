"""Amendments between versions as they are shown."""

from __future__ import annotations

from typing import Any

from nomikon.core.prompts import (
    Amendment,
    Revision,
    word_changes,
)


def amendment_row(amendment: Amendment) -> dict[str, Any]:
    """An amendment as plain data, with what changed word by word."""
    before, after = amendment.before, amendment.after
    words = word_changes(before.text, after.text) if before and after else []
    return {
        "id": amendment.id,
        "kind": amendment.kind,
        "before": before and before.__dict__,
        "after": after and after.__dict__,
        "requires": list(amendment.requires),
        "detail": amendment.detail,
        "words": [w.__dict__ for w in words],
    }


def changes_row(found: Revision) -> dict[str, Any]:
    """What leads from one version to another, as plain data."""
    return {
        "amendments": [amendment_row(a) for a in found.amendments],
        "kept": found.kept,
        "rewritten": found.rewritten,
    }
