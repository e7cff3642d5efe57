"""Save a scorecard; the former ones and their scores stay."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Max

from nomikon.core.measures import read_scorecard
from nomikon.server.apps.briefs.models import Brief, Scorecard
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class SaveScorecard:
    """document: `nomikon: scorecard/1` as plain data."""

    brief: Brief
    document: dict[str, Any]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Scorecard:
        card = read_scorecard(self.document)
        last = self.brief.scorecards.aggregate(last=Max("number"))["last"] or 0
        saved = Scorecard.objects.create(
            brief=self.brief, number=last + 1, document=self.document, created_at=self.now
        )
        write_ledger(
            "scorecard.saved",
            saved,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"scorecard": saved.number, "measures": card.names},
        )
        return saved
