"""Ask a trial to stop at once, or to pause when what is under way has come in."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import PlanError
from nomikon.core.trials.states import TrialStateError
from nomikon.engine.store import PAUSE, STOP
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.trials.models import OPEN_STATES, Trial


class TrialEndedError(TrialStateError):
    """A trial that has ended cannot be stopped."""

    code = "trial_ended"


@dataclass
class HaltTrial:
    """The worker hears of it within a fraction of a second. Answers that have come in stay.

    wish: STOP drops the calls under way, PAUSE waits for them.
    """

    trial_id: int
    wish: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Trial:
        if self.wish not in (STOP, PAUSE):
            raise PlanError(f"wish is {self.wish!r}; allowed are {STOP}, {PAUSE}", field="wish")
        trial = Trial.objects.select_related("brief").get(pk=self.trial_id)
        if trial.state not in OPEN_STATES:
            raise TrialEndedError(f"trial {trial.number} is {trial.state} already", field="state")
        trial.asked = self.wish
        trial.save(update_fields=["asked"])
        write_ledger(
            "trial.cancel_asked" if self.wish == STOP else "trial.pause_asked",
            trial,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={"trial": trial.number},
        )
        return trial
