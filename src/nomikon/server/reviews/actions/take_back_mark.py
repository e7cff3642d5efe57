"""Take a mark back: the output is unread again for its reader; the mark stays in history."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.ledger.write import write_ledger
from nomikon.server.reviews.actions.mark_output import MarkError
from nomikon.server.reviews.models import Mark


@dataclass
class TakeBackMark:
    """The reader's own current mark."""

    output_id: int
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        mark = (
            Mark.objects.filter(output=self.output_id, reader=self.actor, current=True)
            .select_related("output__arm__trial__brief")
            .first()
        )
        if mark is None:
            raise MarkError("you have not marked this answer")
        mark.current = False
        mark.save(update_fields=["current"])
        trial = mark.output.arm.trial
        write_ledger(
            "mark.taken_back",
            mark,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={"trial": trial.number, "judgement": mark.judgement},
        )
