"""Write answers to a draft that was tried into the ledger, with what they cost."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class RecordTry:
    """results: (model, whether it is simulated, result as the worker told it) of every answer."""

    brief: Brief
    results: list[tuple[str, bool, dict[str, Any]]]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        costs = [r["cost"] for _, _, r in self.results]
        write_ledger(
            "draft.tried",
            self.brief,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={
                "models": sorted({model for model, _, _ in self.results}),
                "answers": len(self.results),
                "outcomes": dict(Counter(r["outcome"] for _, _, r in self.results)),
            },
            # Nothing is known of the whole where one of them has no price.
            cost_nano=None if None in costs else sum(costs),
            simulated_nano=0
            if None in costs
            else sum(r["cost"] for _, simulated, r in self.results if simulated),
        )
