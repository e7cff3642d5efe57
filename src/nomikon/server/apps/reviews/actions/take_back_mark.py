"""Take a mark back: what the reader said before counts again, or nothing; the mark stays in history."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.actions.mark_output import MarkError
from nomikon.server.apps.reviews.models import Mark


@dataclass
class TakeBackMark:
    """The reader's own current mark; one that it had replaced counts again."""

    output_id: int
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Mark | None:
        mark = (
            Mark.objects.filter(output=self.output_id, reader=self.actor, current=True)
            .select_related("output__arm__trial__brief")
            .first()
        )
        if mark is None:
            raise MarkError("you have not marked this answer")
        mark.current, mark.taken_back = False, True
        mark.save(update_fields=["current", "taken_back"])
        former = (
            Mark.objects.filter(output=self.output_id, reader=self.actor, taken_back=False)
            .order_by("-id")
            .first()
        )
        if former is not None:
            former.current = True
            former.save(update_fields=["current"])
        trial = mark.output.arm.trial
        write_ledger(
            "mark.taken_back",
            mark,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={"trial": trial.number, "judgement": mark.judgement},
        )
        return former
