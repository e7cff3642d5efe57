"""Read a trial by another scorecard; the scores by the former one are kept."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import transaction

from nomikon.core.measures import read_scorecard
from nomikon.core.trials import COMPLETE, OPEN_STATES, TrialStateError
from nomikon.server.apps.briefs.models import Scorecard
from nomikon.server.apps.ledger.write import emit, write_ledger
from nomikon.server.apps.trials.callees import judge_models
from nomikon.server.apps.trials.judged import count_unjudged
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.trials.reopening import check_purse, reopen


@dataclass
class ReadBy:
    """rescored: how many outputs were newly scored for it, without a call.

    A scorecard with judges sends the trial back to the worker, which asks them
    about every answer. budget: the new whole budget, None to leave it.
    """

    trial: Trial
    card: Scorecard
    rescored: int
    actor: str
    now: datetime
    budget: Decimal | None = None

    @staticmethod
    def check(trial: Trial, card: Scorecard) -> None:
        """A trial under way is scored as it was planned; judges are asked about a whole one."""
        if trial.state in OPEN_STATES:
            raise TrialStateError(
                f"trial {trial.number} is {trial.state}: it can be scored anew once it has ended"
            )
        read = read_scorecard(card.document)
        judge_models(read)
        if read.judged and trial.state != COMPLETE:
            raise TrialStateError(
                f"trial {trial.number} is {trial.state}: run what it is missing, then have it judged"
            )

    @transaction.atomic
    def execute(self) -> Trial:
        trial = Trial.objects.select_related("scorecard", "brief").get(pk=self.trial.pk)
        self.check(trial, self.card)
        former = trial.scorecard.number
        trial.scorecard = self.card
        trial.scores_changed += 1
        # Scores by this card may be older than the rules of today.
        trial.figures_rule = ""
        unjudged = count_unjudged(trial)
        if unjudged:
            check_purse(trial, self.budget)
            reopen(trial, "judges asked", now=self.now)
        else:
            trial.save(update_fields=["scorecard", "scores_changed", "figures_rule"])
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
                "to_judge": unjudged,
            },
        )
        emit(f"trial:{trial.pk}", "rescored", {"scorecard": self.card.number}, now=self.now)
        return trial
