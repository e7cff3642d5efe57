"""Prefer one of two answers to a case, or neither; a change of mind keeps the former one."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from django.db.models import Q

from nomikon.core.stats.pairs import OUTCOMES
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.actions.mark_output import MarkError
from nomikon.server.apps.reviews.models import Preference
from nomikon.server.apps.trials.models import Output


@dataclass
class PreferOutput:
    """left, right: outputs as they stood; outcome: left, right or tie."""

    left: int
    right: int
    outcome: str
    reason: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Preference:
        if self.outcome not in OUTCOMES:
            raise MarkError(
                f"{self.outcome!r} is no preference; allowed are {', '.join(OUTCOMES)}",
                field="outcome",
            )
        found = Output.objects.select_related("arm__trial__brief").in_bulk([self.left, self.right])
        if len(found) != 2:
            raise MarkError("one of these answers is not there any more: reload", field="left")
        left, right = found[self.left], found[self.right]
        if (left.arm.trial_id, left.revision_id) != (right.arm.trial_id, right.revision_id):
            raise MarkError("these are not two answers to one case of one trial", field="right")
        # The same two the other way round are the same question.
        same = Q(left=left, right=right) | Q(left=right, right=left)
        Preference.objects.filter(same, reader=self.actor, current=True).update(current=False)
        made = Preference.objects.create(
            left=left,
            right=right,
            reader=self.actor,
            outcome=self.outcome,
            reason=self.reason.strip(),
            created_at=self.now,
        )
        trial = left.arm.trial
        write_ledger(
            "output.preferred",
            made,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={"trial": trial.number, "outcome": made.outcome, "reason": made.reason[:200]},
        )
        return made
