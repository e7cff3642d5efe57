"""What every action shares that sends an ended trial back to the worker."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal

from django.db.models import QuerySet

from nomikon.core.errors import PlanError
from nomikon.core.trials import QUEUED, next_state
from nomikon.core.trials.states import TrialStateError
from nomikon.server.apps.ledger.write import emit
from nomikon.server.apps.trials.budgets import budget_nano, check_budget
from nomikon.server.apps.trials.models import OPEN_STATES, Output, Trial


class StillRunningError(TrialStateError):
    """The trial is still under way."""

    code = "still_running"


def check_ended(trial: Trial) -> None:
    """Refuse what can only be asked of a trial at rest."""
    if trial.state in OPEN_STATES:
        raise StillRunningError(f"trial {trial.number} is still {trial.state}", field="state")


def check_purse(trial: Trial, budget: Decimal | None) -> None:
    """Take on a new whole budget, None to leave it; refuse to go on with a spent one."""
    unpriced = [
        a.asked_model.name
        for a in trial.arms.filter(price_in_nano=None, baseline=None).select_related("model")
    ]
    check_budget(budget, unpriced=unpriced)
    if budget is not None:
        trial.budget_nano = budget_nano(budget)
    if trial.budget_nano is not None and trial.spent_nano >= trial.budget_nano:
        raise PlanError("the budget is spent already: give a higher one to go on", field="budget")


def supersede(outputs: QuerySet[Output], generation: int | None = None) -> int:
    """Make room for outputs to be had again; the former ones are kept.

    generation: the one to ask in; None asks in the one they were asked in.
    """
    if generation is not None:
        return outputs.update(superseded_by=generation)
    count = 0
    for former in set(outputs.values_list("generation", flat=True)):
        count += outputs.filter(generation=former).update(superseded_by=former)
    return count


def reopen(trial: Trial, event: str, *, now: datetime) -> None:
    """Queue an ended trial again."""
    trial.state = next_state(trial.state, event)
    assert trial.state == QUEUED
    trial.asked, trial.finished_at, trial.message = "", None, ""
    trial.save()
    emit(f"trial:{trial.pk}", "continued", {}, now=now)
