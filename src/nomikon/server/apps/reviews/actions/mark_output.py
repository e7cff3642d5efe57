"""Mark an output; a change of mind keeps the former mark in history."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.errors import DomainError
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.models import JUDGEMENTS, SINCE, Mark
from nomikon.server.apps.trials.models import Output


class MarkError(DomainError):
    """A mark's own fields are not usable."""

    code = "mark_invalid"


@dataclass
class MarkOutput:
    """judgement: good, usable or bad; the comment says what is wrong, or nothing.

    spans: [{start, end, comment}] over the answer's text; what they quote is kept
    with them. faults: names of kinds of fault. better: a better answer.
    drawn: whether the output came up by chance. former: the mark of a former
    answer to the same case that was shown beside it; since: what became of what that
    said (fixed, still, worse), "" where nothing is said of it.
    """

    output_id: int
    judgement: str
    comment: str
    actor: str
    now: datetime
    spans: Sequence[Mapping[str, Any]] = ()
    faults: Sequence[str] = ()
    better: str | None = None
    drawn: bool = True
    former: int | None = None
    since: str = ""

    @transaction.atomic
    def execute(self) -> Mark:
        if self.judgement not in JUDGEMENTS:
            raise MarkError(
                f"{self.judgement!r} is no mark; allowed are {', '.join(JUDGEMENTS)}",
                field="judgement",
            )
        output = Output.objects.select_related("arm__trial__brief").get(pk=self.output_id)
        former = self._former(output)
        spans = [_span(place, s, output.text) for place, s in enumerate(self.spans)]
        faults = list(dict.fromkeys(f.strip()[:60] for f in self.faults if f.strip()))
        better = self.better if self.better and self.better.strip() else None
        Mark.objects.filter(output=output, reader=self.actor, current=True).update(current=False)
        mark = Mark.objects.create(
            output=output,
            reader=self.actor,
            judgement=self.judgement,
            comment=self.comment.strip(),
            spans=spans,
            faults=faults,
            better=better,
            drawn=self.drawn,
            former=former,
            since=self.since,
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
                "faults": faults,
                "better": better is not None,
                "since": mark.since,
            },
        )
        return mark

    def _former(self, output: Output) -> Mark | None:
        if self.since and self.since not in SINCE:
            raise MarkError(
                f"{self.since!r} is not what became of it; allowed are {', '.join(SINCE)}",
                field="since",
            )
        if self.former is None:
            if self.since:
                raise MarkError("there is no former answer to compare with", field="since")
            return None
        found = Mark.objects.filter(pk=self.former, output__revision=output.revision_id).first()
        if found is None:
            raise MarkError("the former mark is on another case", field="former")
        return found


def _span(place: int, span: Mapping[str, Any], text: str) -> dict[str, Any]:
    """A span as it is kept: with the words it quotes, so that it can be read without its answer."""
    start, end = span.get("start"), span.get("end")
    if not isinstance(start, int) or not isinstance(end, int) or not 0 <= start < end <= len(text):
        raise MarkError(
            f"a comment is on the places {start} to {end}; the answer has {len(text)}",
            field=f"spans.{place}",
        )
    comment = str(span.get("comment", "")).strip()
    if not comment:
        raise MarkError("a comment on words of the answer is empty", field=f"spans.{place}")
    return {"start": start, "end": end, "quote": text[start:end], "comment": comment}
