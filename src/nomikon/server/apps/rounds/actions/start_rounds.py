"""Start automatic rounds: store what was chosen, for the worker to take up."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import transaction
from django.db.models import Max

from nomikon.core.errors import ConflictError, PlanError
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.rounds.models import RUNNING, Rounds
from nomikon.server.apps.rounds.planning import RoundsPlan
from nomikon.server.apps.trials.budgets import budget_nano, check_budget
from nomikon.server.apps.trials.planning import ASK


class RoundsRunningError(ConflictError):
    """A brief has one run of rounds at a time."""

    code = "rounds_running"


@dataclass
class StartRounds:
    """budget: for everything together, trials and proposals, the held-out check included."""

    plan: RoundsPlan
    budget: Decimal | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Rounds:
        plan, trial = self.plan, self.plan.trial
        check_budget(self.budget, unpriced=[m.name for m in plan.unpriced])
        if errors := [p for p in trial.estimate.problems if p.severity in ("error", ASK)]:
            raise PlanError(f"{errors[0].arm}: {errors[0].text}", field=errors[0].field)
        running = plan.brief.rounds.filter(state=RUNNING).first()
        if running is not None:
            raise RoundsRunningError(
                f"rounds {running.number} of this brief are still running: stop them first"
            )
        last = plan.brief.rounds.aggregate(last=Max("number"))["last"] or 0
        version = trial.arms[0].version
        rounds = Rounds.objects.create(
            brief=plan.brief,
            number=last + 1,
            start=version,
            best=version,
            dataset_version=trial.dataset_version,
            scorecard=trial.scorecard,
            model=trial.arms[0].model,
            settings=plan.settings,
            repeats=trial.repeats,
            amender=plan.amender,
            instruction=plan.instruction,
            amender_settings=plan.amender_settings,
            most_rounds=plan.rounds,
            candidates=plan.candidates,
            budget_nano=budget_nano(self.budget),
            created_at=self.now,
            created_by=self.actor,
        )
        write_ledger(
            "rounds.started",
            rounds,
            actor=self.actor,
            now=self.now,
            brief=plan.brief,
            facts={
                "rounds": rounds.number,
                "version": version.number,
                "model": rounds.model.name,
                "amender": plan.amender.name,
                "most": plan.rounds,
                "candidates": plan.candidates,
            },
        )
        return rounds
