"""Run what an ended trial is missing: outputs it never had, and calls that failed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import transaction
from django.db.models import Count, Sum

from nomikon.core.errors import PlanError
from nomikon.server.ledger.write import emit, write_ledger
from nomikon.server.problems import ConflictError
from nomikon.server.trials.budgets import budget_nano, check_budget
from nomikon.server.trials.models import OPEN_STATES, QUEUED, Output, Trial


class NothingMissingError(ConflictError):
    """The trial is still under way, or every output has an answer."""

    code = "trial_state"


@dataclass
class ContinueTrial:
    """Answers that are there stay and are not paid for again.

    A failed call holds no answer; its output makes room for the new attempt,
    and the ledger line keeps how many failed and why. budget: the new whole
    budget of the trial, None to leave it as it is.
    """

    trial_id: int
    actor: str
    now: datetime
    budget: Decimal | None = None

    @transaction.atomic
    def execute(self) -> Trial:
        trial = Trial.objects.select_related("brief").get(pk=self.trial_id)
        if trial.state in OPEN_STATES:
            raise NothingMissingError(f"trial {trial.number} is still {trial.state}", field="state")
        outputs = Output.objects.filter(arm__trial=trial)
        failed = outputs.exclude(failure="")
        reasons = dict(failed.values_list("failure").annotate(n=Count("id")))
        answered = outputs.filter(failure="").count()
        if answered == trial.n_outputs:
            raise NothingMissingError(
                f"trial {trial.number} has an answer to everything it asked", field="state"
            )
        unpriced = [str(a.model) for a in trial.arms.filter(price_in_nano=None)]
        check_budget(self.budget, unpriced=unpriced)
        if self.budget is not None:
            trial.budget_nano = budget_nano(self.budget)
        spent = outputs.aggregate(n=Sum("cost_new"))["n"] or 0
        if trial.budget_nano is not None and spent >= trial.budget_nano:
            raise PlanError(
                "the budget is spent already: give a higher one to go on", field="budget"
            )
        failed.delete()
        trial.state, trial.cancel_requested = QUEUED, False
        trial.finished_at, trial.message = None, ""
        trial.save(
            update_fields=["state", "cancel_requested", "finished_at", "message", "budget_nano"]
        )
        write_ledger(
            "trial.continued",
            trial,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={
                "trial": trial.number,
                "missing": trial.n_outputs - answered,
                "failures": reasons,
            },
        )
        emit(f"trial:{trial.pk}", "continued", {}, now=self.now)
        return trial
