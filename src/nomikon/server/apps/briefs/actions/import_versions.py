"""Take prompt files in as versions: one, or a whole lineage with its branches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from django.db.models import Max

from nomikon.core.files.lineage_zip import LineageEntry
from nomikon.core.prompts import as_rows, placeholder_names
from nomikon.server.apps.briefs.actions.annotate_version import clean_tags
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class ImportVersions:
    """entries: parents before children. They get the next numbers; branches are kept.

    Entries without a parent become the child of `parent`, or a root where it is None.
    """

    brief: Brief
    entries: Sequence[LineageEntry]
    parent: Version | None
    source: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> list[Version]:
        last = self.brief.versions.aggregate(last=Max("number"))["last"] or 0
        made: dict[int, Version] = {}
        for place, entry in enumerate(self.entries, 1):
            parents = [made[p] for p in entry.parents]
            # Refuses a section left open and the like, as saving does.
            placeholder_names(entry.prompt.messages)
            made[entry.number] = Version.objects.create(
                brief=self.brief,
                number=last + place,
                parent=parents[0] if parents else self.parent,
                second_parent=parents[1] if len(parents) > 1 else None,
                note=(entry.note or f"from {self.source}")[:300],
                tags=clean_tags(list(entry.tags)),
                origin="imported",
                messages=as_rows(entry.prompt.messages),
                settings=dict(entry.prompt.settings),
                created_at=self.now,
                created_by=self.actor,
            )
        versions = list(made.values())
        write_ledger(
            "versions.imported",
            self.brief,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"source": self.source, "versions": [v.number for v in versions]},
        )
        return versions
