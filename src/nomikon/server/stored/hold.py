"""Hold everything that would ask models by itself, where a database turns out to be a copy."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.trials.states import next_state
from nomikon.server.apps.ledger.write import emit, write_ledger
from nomikon.server.apps.rounds.driving import end_rounds
from nomikon.server.apps.rounds.models import RUNNING as ROUNDS_RUNNING
from nomikon.server.apps.rounds.models import STOPPED, Rounds
from nomikon.server.apps.trials.judged import count_unjudged
from nomikon.server.apps.trials.models import OPEN_STATES, Output, Trial
from nomikon.server.apps.verdicts.models import Watch

WHY = (
    "this database is a copy, was restored or is of a former version, so nothing is asked by itself"
)


@dataclass
class HoldAll:
    """Trials pause, automatic rounds stop, watches wait to be asked by hand; each says why."""

    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> list[str]:
        """Returns what was held, each by its name."""
        # Rounds first: a round whose trial is paused would end with that as its reason.
        held = []
        for rounds in Rounds.objects.filter(state=ROUNDS_RUNNING).select_related("brief"):
            end_rounds(rounds.pk, STOPPED, WHY, self.now)
            held.append(f"rounds {rounds.number} of {rounds.brief.name}")
        for trial in Trial.objects.filter(state__in=OPEN_STATES).select_related("brief"):
            if not _would_ask(trial):
                # The worker only writes down that it is complete.
                continue
            trial.state = next_state(trial.state, "found in a copy")
            trial.asked, trial.message, trial.finished_at = "", WHY, self.now
            trial.save(update_fields=["state", "asked", "message", "finished_at"])
            write_ledger(
                "trial.held",
                trial,
                actor=self.actor,
                now=self.now,
                brief=trial.brief,
                facts={"trial": trial.number, "why": WHY},
            )
            emit(f"trial:{trial.pk}", trial.state, {}, now=self.now)
            held.append(f"trial {trial.number} of {trial.brief.name}")
        for watch in Watch.objects.filter(stopped_at=None, next_at__isnull=False).select_related(
            "brief"
        ):
            watch.next_at, watch.trouble = None, f"{WHY}; ask again, and the calendar goes on"
            watch.save(update_fields=["next_at", "trouble"])
            write_ledger(
                "watch.held",
                watch,
                actor=self.actor,
                now=self.now,
                brief=watch.brief,
                facts={"why": WHY},
            )
            held.append(f"the watch of {watch.brief.name}")
        return held


def _would_ask(trial: Trial) -> bool:
    """Whether going on would make a call: an answer or a judgement is not there yet."""
    done = Output.objects.filter(arm__trial=trial).count()
    return done < trial.n_outputs or count_unjudged(trial) > 0
