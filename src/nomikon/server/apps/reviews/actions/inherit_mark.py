"""Take over the mark of an identical answer to the same case: nobody reads the same thing twice."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.actions.mark_output import MarkError
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.trials.models import Output


@dataclass
class InheritMark:
    """from_output: the one that is marked. drawn: whether this one came up by chance.

    The mark keeps everything that was said, but for a better answer, which the
    case has already; it points to where it came from.
    """

    output_id: int
    from_output: int
    drawn: bool
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Mark:
        output = Output.objects.select_related("arm__trial__brief").get(pk=self.output_id)
        marks = Mark.objects.filter(output=self.from_output, current=True).select_related("output")
        found = marks.filter(reader=self.actor).first() or marks.order_by("-id").first()
        if found is None:
            raise MarkError(
                "the answer to take a mark over from is not marked", field="from_output"
            )
        same = found.output.revision_id == output.revision_id
        if not same or found.output.text.strip() != output.text.strip():
            raise MarkError(
                "a mark is only taken over by the same answer to the same case", field="from_output"
            )
        Mark.objects.filter(output=output, reader=self.actor, current=True).update(current=False)
        mark = Mark.objects.create(
            output=output,
            reader=self.actor,
            judgement=found.judgement,
            comment=found.comment,
            # Blanks at the ends may differ: then places do not fit, and words would be wrong.
            spans=found.spans if found.output.text == output.text else [],
            faults=found.faults,
            better=None,
            drawn=self.drawn,
            inherited_from=found,
            created_at=self.now,
        )
        trial = output.arm.trial
        write_ledger(
            "mark.inherited",
            mark,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={"trial": trial.number, "judgement": mark.judgement},
        )
        return mark
