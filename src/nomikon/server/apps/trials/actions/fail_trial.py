"""A trial that cannot go on: its state, the reason, and what it has cost so far."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.trials.states import TRIAL_FAILED, next_state
from nomikon.server.apps.ledger.write import emit, write_ledger
from nomikon.server.apps.trials.models import OPEN_STATES, TOLD_SPENT, Output, Trial


@dataclass
class FailTrial:
    """Answers that have come in stay. A trial that has ended meanwhile is left as it is.

    why: what stood in the way, in words for the board.
    """

    trial_id: int
    why: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Trial:
        trial = Trial.objects.select_related("brief").get(pk=self.trial_id)
        if trial.state not in OPEN_STATES:
            return trial
        outputs = Output.objects.filter(arm__trial=trial)
        trial.state = next_state(trial.state, "cannot go on")
        trial.message, trial.finished_at, trial.asked = self.why, self.now, ""
        spent, simulated = trial.tell_spent()
        trial.save(update_fields=["state", "message", "finished_at", "asked", *TOLD_SPENT])
        write_ledger(
            "trial.ended",
            trial,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            cost_nano=spent,
            simulated_nano=simulated,
            facts={
                "trial": trial.number,
                "state": TRIAL_FAILED,
                "outputs": outputs.count(),
                "failed": outputs.exclude(failure="").count(),
                "why": self.why[:300],
            },
        )
        emit(f"trial:{trial.pk}", TRIAL_FAILED, {"message": self.why}, now=self.now)
        return trial
