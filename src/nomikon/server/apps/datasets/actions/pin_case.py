"""Hold a case ready for the draft, or let it go."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import CaseRevision, Pin
from nomikon.server.apps.ledger.write import write_ledger

MOST_PINS = 12


@dataclass
class PinCase:
    """revision: any revision of the case; the newest one is what is tried."""

    brief: Brief
    revision: int
    pinned: bool
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        found = CaseRevision.objects.filter(
            pk=self.revision, case__dataset__brief=self.brief
        ).first()
        if found is None:
            raise DatasetError("this case is not in the brief any more: reload", field="revision")
        pins = Pin.objects.filter(brief=self.brief)
        there = pins.filter(case=found.case)
        if self.pinned == there.exists():
            return
        if self.pinned:
            if pins.count() >= MOST_PINS:
                raise DatasetError(
                    f"{MOST_PINS} cases are pinned; let one go before another is pinned",
                    field="revision",
                )
            Pin.objects.create(brief=self.brief, case=found.case)
        else:
            there.delete()
        write_ledger(
            "case.pinned" if self.pinned else "case.let_go",
            found.case,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"case": found.case.number},
        )
