"""Start a weighing: the screening is a trial like any other, its arms leave clauses out."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import transaction

from nomikon.core.rules import CLAUSE_RULE
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.weights.models import Weighing
from nomikon.server.apps.weights.planning import WeighingPlan, lines_of


@dataclass
class StartWeighing:
    """budget: for the screening; the strike test has its own."""

    plan: WeighingPlan
    budget: Decimal | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Weighing:
        plan = self.plan
        question = f"what each clause of v{plan.version.number} is worth"
        trial = StartTrial(plan.trial, question, self.actor, self.now, self.budget).execute()
        weighing = Weighing.objects.create(
            brief=trial.brief,
            version=plan.version,
            trial=trial,
            units=[list(u) for u in plan.leaving.free],
            locked=[[n, why] for n, why in plan.leaving.locked.items()],
            lines=lines_of(plan.version),
            clause_rule=CLAUSE_RULE,
            created_at=self.now,
            created_by=self.actor,
        )
        write_ledger(
            "weighing.started",
            weighing,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={
                "version": plan.version.number,
                "trial": trial.number,
                "clauses": len(plan.leaving.free),
                "model": plan.trial.arms[0].model.name,
            },
        )
        return weighing
