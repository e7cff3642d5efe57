"""Write a try of a draft into the ledger, with what it cost."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.server.briefs.models import Brief
from nomikon.server.ledger.write import write_ledger


@dataclass
class RecordTry:
    """result: as the worker told it."""

    brief: Brief
    model: str
    result: dict[str, Any]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        write_ledger(
            "draft.tried",
            self.brief,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"model": self.model, "outcome": self.result["outcome"]},
            cost_nano=self.result["cost"],
        )
