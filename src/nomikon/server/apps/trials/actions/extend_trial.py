"""Add cases, arms or repeats to an ended trial; what it has is not asked for again."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import transaction

from nomikon.core.errors import ConflictError, PlanError
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.trials.brought import arm_of, store_answers
from nomikon.server.apps.trials.extending import Extension, arms_to_store
from nomikon.server.apps.trials.models import Arm, Trial
from nomikon.server.apps.trials.reopening import check_ended, check_purse, reopen


@dataclass
class ExtendTrial:
    """budget: the new whole budget of the trial, None to leave it as it is."""

    extension: Extension
    actor: str
    now: datetime
    budget: Decimal | None = None

    @transaction.atomic
    def execute(self) -> Trial:
        wanted = self.extension
        trial = Trial.objects.select_related("brief").get(pk=wanted.trial.pk)
        check_ended(trial)
        for figures in wanted.estimates:
            if errors := [p for p in figures.problems if p.severity == "error"]:
                raise PlanError(f"{errors[0].arm}: {errors[0].text}", field=errors[0].field)
        n_before = trial.arms.count()
        added = wanted.n_outputs - trial.n_outputs
        if added != wanted.added:
            raise ConflictError("this trial has been extended meanwhile: look at it again")
        Arm.objects.bulk_create(arms_to_store(wanted))
        self._bring_in(trial)
        check_purse(trial, self.budget)
        trial.dataset_version = wanted.dataset_version
        trial.repeats, trial.n_cases = wanted.repeats, len(wanted.entries)
        trial.n_outputs = wanted.n_outputs
        if wanted.whole_split:
            trial.sample = trial.choice = None
        trial.extensions += 1
        reopen(trial, "extended or asked afresh", now=self.now)
        write_ledger(
            "trial.extended",
            trial,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={
                "trial": trial.number,
                "outputs": added,
                "arms": trial.arms.count() - n_before,
                "cases": len(wanted.entries),
                "repeats": wanted.repeats,
            },
        )
        return trial

    def _bring_in(self, trial: Trial) -> None:
        """Answers from elsewhere: to the new cases of an arm that is there, or as a further arm."""
        for pk, b in self.extension.brought.items():
            arm = trial.arms.filter(baseline=pk).first()
            if arm is None:
                arm = arm_of(trial, trial.arms.count(), b)
                arm.save()
            store_answers(arm, b.answers.items(), self.now)
