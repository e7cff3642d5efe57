"""Versions found by what stands in them."""

from __future__ import annotations

import re

from nomikon.core.prompts import settings_in_short
from nomikon.server.apps.briefs.models import Brief, Version

SHORT = 2


def versions_with(brief: Brief, query: str) -> list[int]:
    """Numbers of the versions in which all words of the query stand, in whatever case, the newest first.

    A word may stand in the text, the note, a tag, a setting with its value (temperature 0.7, T 0.7) or
    the day of saving (2026-11-30); v3 or 3 alone is a number.
    """
    words = query.casefold().split()
    return [v.number for v in brief.versions.order_by("-number") if _has(v, words)]


def _has(version: Version, words: list[str]) -> bool:
    number = str(version.number)
    if words and words[0].removeprefix("v") == number and len(words) == 1:
        return True
    settings = " ".join(f"{k} {v}" for k, v in version.settings.items())
    parts = [
        *(m["content"] for m in version.messages),
        version.note,
        *version.tags,
        settings.replace("_", "-"),
        settings_in_short(version.settings),
        f"{version.created_at:%Y-%m-%d}",
    ]
    text = "\n".join(parts).casefold()
    return all(_stands(w, text) for w in words)


def _stands(word: str, text: str) -> bool:
    """Within any word; the letter or two of a short one only by themselves."""
    if len(word) > SHORT:
        return word in text
    return re.search(rf"(?<!\w){re.escape(word)}(?!\w)", text) is not None
