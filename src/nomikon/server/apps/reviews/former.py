"""What was said before of the answers to a case: identical ones inherit it, changed ones show it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from nomikon.server.apps.reviews.models import GOOD, Mark
from nomikon.server.apps.trials.models import Trial


@dataclass(frozen=True)
class Said:
    """A current mark of an earlier trial: the answer it is about, and what it said."""

    mark: int
    output: int
    text: str
    judgement: str
    trial: int
    row: dict[str, Any]

    @property
    def complains(self) -> bool:
        """Whether it says anything that a later answer could have put right."""
        row = self.row
        return self.judgement != GOOD or bool(row["comment"] or row["spans"] or row["better"])


def said_before(trial: Trial, revisions: Sequence[int]) -> dict[int, list[Said]]:
    """Marks of other answers of the brief by case revision, the newest first."""
    found: dict[int, list[Said]] = defaultdict(list)
    marks = (
        Mark.objects.filter(
            current=True,
            inherited_from=None,
            output__arm__trial__brief=trial.brief_id,
            output__revision__in=revisions,
        )
        # Of this trial only what was asked afresh since: its former answer was marked.
        .exclude(output__arm__trial=trial, output__superseded_by=None)
        .order_by("-id")
        .values_list(
            "id",
            "output_id",
            "output__text",
            "output__revision_id",
            "output__arm__trial__number",
            "judgement",
            "comment",
            "spans",
            "faults",
            "better",
            "reader",
        )
    )
    for pk, output, text, revision, number, judgement, comment, spans, faults, better, who in marks:
        row = {
            "mark": pk,
            "output": output,
            "trial_number": number,
            "judgement": judgement,
            "comment": comment,
            "spans": spans,
            "faults": faults,
            "better": better,
            "reader": who,
        }
        found[revision].append(Said(pk, output, text.strip(), judgement, number, row))
    return found


def standing_of(
    text: str, before: Sequence[Said], reader: str
) -> tuple[int | None, dict[str, Any] | None]:
    """For one answer: the output whose mark it inherits, or the former answer to set beside it.

    A reader inherits only what they said themselves: taken over from somebody
    else it would look as if the two agreed.
    """
    plain = text.strip()
    twin = next((s for s in before if s.text == plain and s.row["reader"] == reader), None)
    if twin is not None:
        return twin.output, None
    complaint = next((s for s in before if s.complains and s.text != plain), None)
    return None, complaint.row if complaint is not None else None
