"""Run what an ended trial is missing: outputs it never had, failed calls, failed judgements."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import transaction
from django.db.models import Count

from nomikon.core.trials.states import TrialStateError
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.trials.judged import count_unjudged
from nomikon.server.apps.trials.models import COMPLETE, Output, Trial
from nomikon.server.apps.trials.reopening import check_ended, check_purse, reopen, supersede


class NothingMissingError(TrialStateError):
    """Every output has an answer."""

    code = "nothing_missing"


@dataclass
class ContinueTrial:
    """Answers that are there stay and are not paid for again.

    A failed output makes room for the new attempt and is kept. budget: the new
    whole budget of the trial, None to leave it as it is.
    """

    trial_id: int
    actor: str
    now: datetime
    budget: Decimal | None = None

    @transaction.atomic
    def execute(self) -> Trial:
        trial = Trial.objects.select_related("brief", "scorecard").get(pk=self.trial_id)
        check_ended(trial)
        outputs = Output.objects.filter(arm__trial=trial)
        failed = outputs.exclude(failure="")
        reasons = dict(failed.values_list("failure").annotate(n=Count("id")))
        answered = outputs.filter(failure="").count()
        unjudged = count_unjudged(trial)
        if answered == trial.n_outputs and not unjudged:
            raise NothingMissingError(
                f"trial {trial.number} has an answer to everything it asked", field="state"
            )
        check_purse(trial, self.budget)
        supersede(failed)
        done = "continued"
        if trial.state == COMPLETE:
            done = "judges asked" if answered == trial.n_outputs else "failed calls asked again"
        reopen(trial, done, now=self.now)
        write_ledger(
            "trial.continued",
            trial,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={
                "trial": trial.number,
                "missing": trial.n_outputs - answered,
                "unjudged": unjudged,
                "failures": reasons,
            },
        )
        return trial
