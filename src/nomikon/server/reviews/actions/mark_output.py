"""Mark an output; a change of mind keeps the former mark in history."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import DomainError
from nomikon.server.ledger.write import write_ledger
from nomikon.server.reviews.models import JUDGEMENTS, Mark
from nomikon.server.trials.models import Output


class MarkError(DomainError):
    """A mark's own fields are not usable."""

    code = "mark_invalid"


@dataclass
class MarkOutput:
    """judgement: good, usable or bad; the comment says what is wrong, or nothing."""

    output_id: int
    judgement: str
    comment: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Mark:
        if self.judgement not in JUDGEMENTS:
            raise MarkError(
                f"{self.judgement!r} is no mark; allowed are {', '.join(JUDGEMENTS)}",
                field="judgement",
            )
        output = Output.objects.select_related("arm__trial__brief").get(pk=self.output_id)
        Mark.objects.filter(output=output, reader=self.actor, current=True).update(current=False)
        mark = Mark.objects.create(
            output=output,
            reader=self.actor,
            judgement=self.judgement,
            comment=self.comment.strip(),
            created_at=self.now,
        )
        trial = output.arm.trial
        write_ledger(
            "output.marked",
            mark,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={
                "trial": trial.number,
                "judgement": mark.judgement,
                "comment": mark.comment[:200],
            },
        )
        return mark
