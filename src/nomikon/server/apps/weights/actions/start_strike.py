"""Test clauses that seem to do nothing: struck together, on all working cases."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import transaction

from nomikon.core.errors import PlanError
from nomikon.core.rules import CLAUSE_RULE
from nomikon.server.apps.datasets.models import WORKING
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.models import COMPLETE
from nomikon.server.apps.trials.planning import Plan, make_plan
from nomikon.server.apps.weights.models import Strike, Weighing
from nomikon.server.apps.weights.planning import plan_strike
from nomikon.server.apps.weights.reading import suspected_pairs


def plan_of_strike(weighing: Weighing, clauses: Sequence[int]) -> tuple[Plan, list[list[int]]]:
    """The trial that tests these clauses, and the pairs it tests beside them.

    Raises PlanError for a clause that this weighing did not leave out, for none, and
    before the weighing is complete.
    """
    trial = weighing.trial
    if trial.state != COMPLETE:
        raise PlanError(f"trial {trial.number} is {trial.state}: weigh first", field="clauses")
    if weighing.clause_rule != CLAUSE_RULE:
        raise PlanError(
            f"v{weighing.version.number} was weighed when clauses were numbered otherwise: weigh it "
            "again, then test what does nothing",
            field="clauses",
        )
    free = {n for unit in weighing.units for n in unit}
    if unknown := [n for n in clauses if n not in free]:
        raise PlanError(f"§{unknown[0]} was not weighed", field="clauses")
    pairs = [p for p in suspected_pairs(weighing) if p != sorted(clauses)]
    if not clauses and not pairs:
        raise PlanError("choose at least one clause to strike", field="clauses")
    arm = trial.arms.select_related("version", "model").order_by("position")[0]
    whole = make_plan(
        trial.brief,
        versions=[arm.asked_version.number],
        models=[arm.asked_model.pk],
        settings=[arm.settings],
        dataset_version=trial.dataset_version_id,
        split=WORKING,
        repeats=trial.repeats,
        scorecard=trial.scorecard_id,
    )
    return plan_strike(trial, clauses, pairs, whole), pairs


@dataclass
class StartStrike:
    """clauses: numbers of the weighed version."""

    weighing: Weighing
    clauses: Sequence[int]
    budget: Decimal | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Strike:
        weighing = self.weighing
        plan, pairs = plan_of_strike(weighing, self.clauses)
        number = weighing.version.number
        question = f"is v{number} no worse without what seems to do nothing?"
        trial = StartTrial(plan, question, self.actor, self.now, self.budget).execute()
        strike = Strike.objects.create(
            weighing=weighing,
            trial=trial,
            clauses=sorted(self.clauses),
            pairs=pairs,
            created_at=self.now,
            created_by=self.actor,
        )
        write_ledger(
            "weighing.tested",
            strike,
            actor=self.actor,
            now=self.now,
            brief=weighing.brief,
            facts={
                "version": number,
                "trial": trial.number,
                "clauses": strike.clauses,
            },
        )
        return strike
