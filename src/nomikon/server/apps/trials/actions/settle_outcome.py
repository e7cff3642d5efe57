"""Decide what an answer is, where its text leaves it in doubt or was told wrongly."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import PlanError
from nomikon.core.trials import ANSWERED, CUT, DECLINED, EMPTY
from nomikon.server.apps.ledger.write import emit, write_ledger
from nomikon.server.apps.trials.models import OutcomeRuling, Output, Trial
from nomikon.server.apps.trials.reworking import bring_figures_up
from nomikon.server.apps.trials.settling import digest_of, settle_as_ruled

ALLOWED = (ANSWERED, CUT, DECLINED, EMPTY)


@dataclass
class SettleOutcome:
    """It holds for every answer of the brief with the same text, now and later."""

    output: Output
    outcome: str
    actor: str
    now: datetime

    def check(self) -> None:
        if self.outcome not in ALLOWED:
            raise PlanError(
                f"{self.outcome!r} is no outcome a person can decide on; allowed are "
                f"{', '.join(ALLOWED)}",
                field="outcome",
            )
        if self.output.failure:
            raise PlanError("a call that failed brought no answer to decide on", field="outcome")

    def execute(self) -> int:
        """Returns for how many answers it holds."""
        self.check()
        same, trials = self._decided()
        for trial in trials:
            # Scored once nobody waits to write.
            trial.refresh_from_db(fields=["figures_rule"])
            bring_figures_up(trial, self.now, told=False)
            emit(f"trial:{trial.pk}", "settled", {"outcome": self.outcome}, now=self.now)
        return same

    @transaction.atomic
    def _decided(self) -> tuple[int, list[Trial]]:
        brief = self.output.arm.trial.brief
        OutcomeRuling.objects.update_or_create(
            brief=brief,
            digest=digest_of(self.output.text),
            defaults={
                "outcome": self.outcome,
                "decided_by": self.actor,
                "decided_at": self.now,
            },
        )
        same = list(
            Output.objects.filter(
                arm__trial__brief=brief, failure="", text=self.output.text
            ).values_list("pk", "arm__trial_id")
        )
        trials = list(Trial.objects.filter(pk__in={t for _, t in same}).select_related("scorecard"))
        for trial in trials:
            settle_as_ruled(trial, [pk for pk, t in same if t == trial.pk])
        write_ledger(
            "output.settled",
            self.output,
            actor=self.actor,
            now=self.now,
            brief=brief,
            facts={
                "trial": self.output.arm.trial.number,
                "case": self.output.revision.case.number,
                "outcome": self.outcome,
                "answers": len(same),
            },
        )
        return len(same), trials
