"""Ask running rounds to stop; every version, answer and score so far stays."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import ConflictError
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.rounds.models import RUNNING, Rounds


@dataclass
class StopRounds:
    """The worker hears of it within a second, and stops the trial under way."""

    rounds_id: int
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Rounds:
        rounds = Rounds.objects.select_related("brief").get(pk=self.rounds_id)
        if rounds.state != RUNNING:
            raise ConflictError(f"rounds {rounds.number} are {rounds.state} already", field="state")
        rounds.stopping = True
        rounds.save(update_fields=["stopping"])
        write_ledger(
            "rounds.stop_asked",
            rounds,
            actor=self.actor,
            now=self.now,
            brief=rounds.brief,
            facts={"rounds": rounds.number},
        )
        return rounds
