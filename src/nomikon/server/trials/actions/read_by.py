"""Read a trial by another scorecard; the scores by the former one are kept."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.trials import OPEN_STATES, TrialStateError
from nomikon.server.briefs.models import Scorecard
from nomikon.server.ledger.write import emit, write_ledger
from nomikon.server.trials.models import Trial


@dataclass
class ReadBy:
    """rescored: how many outputs were newly scored for it, without a call."""

    trial: Trial
    card: Scorecard
    rescored: int
    actor: str
    now: datetime

    @staticmethod
    def check(trial: Trial) -> None:
        """A trial under way is scored as it was planned."""
        if trial.state in OPEN_STATES:
            raise TrialStateError(
                f"trial {trial.number} is {trial.state}: it can be scored anew once it has ended"
            )

    @transaction.atomic
    def execute(self) -> Trial:
        trial = Trial.objects.select_related("scorecard").get(pk=self.trial.pk)
        self.check(trial)
        former = trial.scorecard.number
        trial.scorecard = self.card
        trial.save(update_fields=["scorecard"])
        write_ledger(
            "trial.rescored",
            trial,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={
                "trial": trial.number,
                "scorecard": self.card.number,
                "former": former,
                "outputs": self.rescored,
            },
        )
        emit(f"trial:{trial.pk}", "rescored", {"scorecard": self.card.number}, now=self.now)
        return trial
