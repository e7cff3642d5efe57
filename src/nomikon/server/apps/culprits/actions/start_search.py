"""Start a search: the texts with some of the amendments are a trial like any other."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import transaction

from nomikon.core.rules import CLAUSE_RULE
from nomikon.server.apps.culprits.models import CulpritSearch
from nomikon.server.apps.culprits.planning import SearchPlan
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.trials.actions.start_trial import StartTrial


@dataclass
class StartSearch:
    plan: SearchPlan
    budget: Decimal | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> CulpritSearch:
        plan = self.plan
        question = (
            f"which change between {plan.older.version_label} and {plan.newer.version_label} did it"
        )
        trial = StartTrial(plan.trial, question, self.actor, self.now, self.budget).execute()
        search = CulpritSearch.objects.create(
            brief=trial.brief,
            of=plan.of,
            older=plan.older,
            newer=plan.newer,
            trial=trial,
            amendments=plan.amendments,
            subsets=[sorted(s) for s in plan.subsets],
            orders=[[sorted(g) for g in order] for order in plan.orders],
            better=[e.revision_id for e in plan.better],
            worse=[e.revision_id for e in plan.worse],
            clause_rule=CLAUSE_RULE,
            created_at=self.now,
            created_by=self.actor,
        )
        write_ledger(
            "culprits.sought",
            search,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={
                "older": plan.older.asked_version.number,
                "newer": plan.newer.asked_version.number,
                "trial": trial.number,
                "amendments": len(plan.amendments),
                "model": plan.newer.asked_model.name,
            },
        )
        return search
