"""Ask a trial's calls again although they have answers: one output, an arm, or all."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import transaction

from nomikon.core.errors import PlanError
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.trials.models import Output, Trial
from nomikon.server.apps.trials.planning import next_generation
from nomikon.server.apps.trials.racing import wanted_outputs
from nomikon.server.apps.trials.reopening import check_ended, check_purse, reopen, supersede


@dataclass
class AskAfresh:
    """The former answers are kept beside the new ones and count no more.

    arm, output: ids, at most one of them; without either all of the trial.
    budget: the new whole budget of the trial, None to leave it as it is.
    """

    trial_id: int
    actor: str
    now: datetime
    arm: int | None = None
    output: int | None = None
    budget: Decimal | None = None

    @transaction.atomic
    def execute(self) -> Trial:
        trial = Trial.objects.select_related("brief").get(pk=self.trial_id)
        check_ended(trial)
        outputs = Output.objects.filter(arm__trial=trial)
        what = "all"
        if self.output is not None:
            outputs, what = outputs.filter(pk=self.output), "output"
        elif self.arm is not None:
            outputs, what = outputs.filter(arm_id=self.arm), "arm"
        if what != "all" and outputs.filter(arm__baseline__isnull=False).exists():
            raise PlanError(
                "these answers were brought in: there is nobody to ask them of", field=what
            )
        outputs = outputs.filter(arm__baseline=None)
        if not outputs.exists():
            raise PlanError(
                "there is no answer to ask for again; it may have been replaced", field=what
            )
        left = outputs.filter(arm__dropped__isnull=False)
        if self.arm is None and self.output is None:
            # All of a trial is asked anew: then the race is run anew too.
            trial.arms.update(dropped=None)
            trial.n_outputs = wanted_outputs(trial)
        elif left.exists():
            raise PlanError(
                "this arm left the race: start a trial with it to ask it again", field=what
            )
        check_purse(trial, self.budget)
        count = supersede(outputs, next_generation())
        reopen(trial, "extended or asked afresh", now=self.now)
        write_ledger(
            "trial.asked_afresh",
            trial,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={"trial": trial.number, "what": what, "outputs": count},
        )
        return trial
