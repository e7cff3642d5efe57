"""Rename a baseline, say where it is from, put it away or bring it back."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.baselines.models import Baseline
from nomikon.server.apps.baselines.names import free_name
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class ChangeBaseline:
    """name, note, archived: None where it stays."""

    baseline: Baseline
    name: str | None
    note: str | None
    archived: bool | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Baseline:
        baseline, before = self.baseline, self.baseline.name
        if self.name is not None:
            baseline.name = free_name(baseline.dataset.brief_id, self.name, own=baseline.pk)
        if self.note is not None:
            baseline.note = self.note
        if self.archived is not None:
            baseline.archived = self.archived
        baseline.save(update_fields=["name", "note", "archived"])
        write_ledger(
            "baseline.changed",
            baseline,
            actor=self.actor,
            now=self.now,
            brief=baseline.dataset.brief,
            facts={"name": baseline.name, "before": before, "archived": baseline.archived},
        )
        return baseline
