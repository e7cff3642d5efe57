"""Put a text of one's own on the starter shelf, or take it off."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.errors import PromptError
from nomikon.core.prompts import as_rows, check_messages, check_settings
from nomikon.core.prompts.files import TASKS
from nomikon.server.apps.briefs.actions.annotate_version import clean_tags
from nomikon.server.apps.briefs.models import ShelfEntry
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class KeepOnShelf:
    """A copy of a text: what becomes of the version it came from does not touch it."""

    name: str
    task: str
    about: str
    tags: list[str]
    messages: Sequence[Mapping[str, Any]]
    settings: dict[str, Any]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> ShelfEntry:
        if not self.name.strip():
            raise PromptError("a text on the shelf needs a name", field="name")
        if self.task not in TASKS:
            raise PromptError(
                f"unknown task {self.task!r}; allowed are {', '.join(TASKS)}", field="task"
            )
        entry = ShelfEntry.objects.create(
            name=self.name.strip()[:120],
            task=self.task,
            about=self.about.strip()[:300],
            tags=clean_tags(self.tags),
            messages=as_rows(check_messages(self.messages)),
            settings=check_settings(self.settings),
            created_at=self.now,
        )
        write_ledger(
            "shelf.kept", entry, actor=self.actor, now=self.now, facts={"name": entry.name}
        )
        return entry


@dataclass
class TakeOffShelf:
    """The entry stays stored; the shelf no longer shows it."""

    entry: ShelfEntry
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        self.entry.taken_off = True
        self.entry.save(update_fields=["taken_off"])
        write_ledger(
            "shelf.taken_off",
            self.entry,
            actor=self.actor,
            now=self.now,
            facts={"name": self.entry.name},
        )
