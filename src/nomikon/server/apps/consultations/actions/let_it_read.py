"""A standing consent for a brief: a model reads every version that is saved, or none does."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.consultations.models import StandingReader
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class LetItRead:
    """model: None takes the consent back."""

    brief: Brief
    model: Model | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        StandingReader.objects.filter(brief=self.brief).delete()
        if self.model is not None:
            StandingReader.objects.create(
                brief=self.brief, model=self.model, created_at=self.now, created_by=self.actor
            )
        write_ledger(
            "reader.standing",
            self.brief,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"model": self.model.name if self.model else ""},
        )
