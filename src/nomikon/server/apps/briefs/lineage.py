"""A brief's lineage as the core knows it: histories, merges, files."""

from __future__ import annotations

from nomikon.core.files.lineage_zip import LineageEntry
from nomikon.core.prompts import Prompt, check_messages, placeholder_names
from nomikon.core.prompts.lineage import Ancestor, Lineage, lineage_of
from nomikon.server.apps.briefs.models import Brief, Version


def lineage(brief: Brief) -> Lineage:
    """All versions of a brief."""
    return lineage_of(
        [
            Ancestor(v.number, check_messages(v.messages), parent_numbers(v), v.settings)
            for v in _versions(brief)
        ]
    )


def _versions(brief: Brief) -> list[Version]:
    return list(brief.versions.select_related("parent", "second_parent").order_by("number"))


def parent_numbers(version: Version) -> tuple[int, ...]:
    """Numbers of a version's parents, the first one first."""
    return tuple(p.number for p in (version.parent, version.second_parent) if p is not None)


def prompt_of(version: Version) -> Prompt:
    """A version as a prompt that can be written to a file."""
    messages = check_messages(version.messages)
    return Prompt(
        messages,
        version.settings,
        version.brief.name,
        version.brief.task,
        tuple(placeholder_names(messages)),
    )


def entries_of(brief: Brief) -> list[LineageEntry]:
    """The lineage as it is written to a zip."""
    return [
        LineageEntry(v.number, prompt_of(v), parent_numbers(v), v.note, tuple(v.tags))
        for v in _versions(brief)
    ]
