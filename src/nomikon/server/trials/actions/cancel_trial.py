"""Ask a trial to stop; answers that have come in stay."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.ledger.write import write_ledger
from nomikon.server.problems import ConflictError
from nomikon.server.trials.models import OPEN_STATES, Trial


class TrialEndedError(ConflictError):
    """A trial that has ended cannot be stopped."""

    code = "trial_state"


@dataclass
class CancelTrial:
    """The worker hears of it within a fraction of a second."""

    trial_id: int
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Trial:
        trial = Trial.objects.select_related("brief").get(pk=self.trial_id)
        if trial.state not in OPEN_STATES:
            raise TrialEndedError(f"trial {trial.number} is {trial.state} already", field="state")
        trial.cancel_requested = True
        trial.save(update_fields=["cancel_requested"])
        write_ledger(
            "trial.cancel_asked",
            trial,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={"trial": trial.number},
        )
        return trial
