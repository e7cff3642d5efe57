"""Change what is said of a version: note, tags, archived. Its text never changes."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.errors import PromptError
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.ledger.write import write_ledger

MOST_TAGS, LONGEST_TAG = 12, 30


def clean_tags(tags: list[str]) -> list[str]:
    """Tags without blanks around them, each once. Raises PromptError (field tags)."""
    found = list(dict.fromkeys(" ".join(t.split()) for t in tags))
    found = [t for t in found if t]
    if len(found) > MOST_TAGS or any(len(t) > LONGEST_TAG for t in found):
        raise PromptError(
            f"at most {MOST_TAGS} tags of at most {LONGEST_TAG} characters each", field="tags"
        )
    return found


@dataclass
class AnnotateVersion:
    """What is None stays as it is."""

    version: Version
    note: str | None
    tags: list[str] | None
    archived: bool | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Version:
        version, facts = self.version, dict[str, Any]()
        if self.note is not None and self.note.strip() != version.note:
            facts["note"] = version.note = self.note.strip()[:300]
        if self.tags is not None and (tags := clean_tags(self.tags)) != version.tags:
            facts["tags"] = version.tags = tags
        if self.archived is not None and self.archived != version.archived:
            facts["archived"] = version.archived = self.archived
        if facts:
            version.save(update_fields=["note", "tags", "archived"])
            write_ledger(
                "version.annotated",
                version,
                actor=self.actor,
                now=self.now,
                brief=version.brief,
                facts={"version": version.number, **facts},
            )
        return version
