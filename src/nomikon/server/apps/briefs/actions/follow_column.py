"""A version whose placeholders follow a column that was renamed: the next one, saved from it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.prompts import as_rows, check_messages, with_renamed
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class FollowColumn:
    version: Version
    old: str
    new: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Version:
        messages = with_renamed(check_messages(self.version.messages), self.old, self.new)
        saved = SaveVersion(
            self.version.brief,
            as_rows(messages),
            self.version.settings,
            self.version,
            f"{self.old} is called {self.new}",
            self.actor,
            self.now,
        ).execute()
        write_ledger(
            "version.followed",
            saved,
            actor=self.actor,
            now=self.now,
            brief=saved.brief,
            facts={"version": saved.number, "old": self.old, "new": self.new},
        )
        return saved
