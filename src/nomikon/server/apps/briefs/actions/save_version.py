"""Save the text under work as a new version; nothing is ever overwritten."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Max

from nomikon.core.errors import DomainError
from nomikon.core.prompts import (
    amendments_between,
    as_rows,
    check_messages,
    check_settings,
    placeholder_names,
)
from nomikon.core.rules import CLAUSE_RULE
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.briefs.reasons import with_clauses
from nomikon.server.apps.briefs.working_copies import settle_copy
from nomikon.server.apps.ledger.write import write_ledger


class NothingChangedError(DomainError):
    """A version that says what its parent says would only add noise to the lineage."""

    code = "nothing_changed"


@dataclass
class SaveVersion:
    """messages: rows `{role, content, step?}`. parent: the version it was made from.

    second_parent: the version that was merged in. The working copy on the
    parent has done its work and shows the parent's own text again.
    """

    brief: Brief
    messages: list[dict[str, Any]]
    settings: dict[str, Any]
    parent: Version | None
    note: str
    actor: str
    now: datetime
    origin: str = "typed"
    allow_same: bool = field(default=False)
    second_parent: Version | None = None
    reasons: list[dict[str, Any]] = field(default_factory=list)

    @transaction.atomic
    def execute(self) -> Version:
        messages = check_messages(self.messages)
        placeholder_names(messages)
        settings = check_settings(self.settings)
        rows = as_rows(messages)
        parent = self.parent
        same = parent is not None and (parent.messages, parent.settings) == (rows, settings)
        if parent is not None and same and not self.allow_same and self.second_parent is None:
            raise NothingChangedError(
                f"nothing has changed against v{parent.number}", field="messages"
            )
        last = self.brief.versions.aggregate(last=Max("number"))["last"] or 0
        version = Version.objects.create(
            brief=self.brief,
            number=last + 1,
            parent=parent,
            second_parent=self.second_parent,
            note=self.note.strip()[:300],
            origin=self.origin,
            messages=rows,
            settings=settings,
            reasons=with_clauses(self.reasons, parent),
            clause_rule=CLAUSE_RULE,
            created_at=self.now,
            created_by=self.actor,
        )
        facts: dict[str, Any] = {"version": version.number, "note": version.note}
        if parent is not None:
            changed = amendments_between(
                check_messages(parent.messages), messages, parent.settings, settings
            )
            counts: dict[str, int] = {}
            for amendment in changed.amendments:
                counts[amendment.kind] = counts.get(amendment.kind, 0) + 1
            facts |= {"parent": parent.number, "changes": counts}
        if self.second_parent is not None:
            facts["merged"] = self.second_parent.number
        settle_copy(self.brief, parent, version, self.now)
        write_ledger(
            "version.saved",
            version,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts=facts,
        )
        return version
