"""Make a precedent of a mark, or retire one; a retired one is kept and holds nobody any more."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import ConflictError, MeasureError
from nomikon.core.measures.precedents import QUESTION, check_precedent
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.models import Mark, Precedent, Ruling
from nomikon.server.apps.trials.models import Output


@dataclass
class KeepPrecedent:
    """output_id: the answer it was seen on; its case is what the precedent is on.

    judge: id of the model that answers, for a question only.
    """

    output_id: int
    kind: str
    text: str
    judge: int | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Precedent:
        output = Output.every.select_related("arm__trial__brief", "revision__case").get(
            pk=self.output_id
        )
        text = check_precedent(self.kind, self.text)
        model = None
        if self.kind == QUESTION:
            model = None if self.judge is None else Model.objects.filter(pk=self.judge).first()
            if model is None:
                raise MeasureError("choose the model that answers the question", field="judge")
        brief, case = output.arm.trial.brief, output.revision.case
        there = Precedent.objects.filter(
            brief=brief, case=case, kind=self.kind, text=text, retired=False
        )
        if there.exists():
            raise ConflictError(f"case {case.number} has this precedent already", field="text")
        mark = Mark.objects.filter(output=output, current=True)
        made = Precedent.objects.create(
            brief=brief,
            case=case,
            kind=self.kind,
            text=text,
            judge=model,
            mark=mark.filter(reader=self.actor).first() or mark.order_by("-id").first(),
            created_at=self.now,
            created_by=self.actor,
        )
        write_ledger(
            "precedent.kept",
            made,
            actor=self.actor,
            now=self.now,
            brief=brief,
            facts={"case": case.number, "kind": self.kind, "text": text[:200]},
        )
        return made


@dataclass
class RetirePrecedent:
    """Versions are not held to it any more."""

    precedent_id: int
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Precedent:
        found = Precedent.objects.select_related("brief", "case", "judge").get(pk=self.precedent_id)
        if found.retired:
            raise ConflictError("this precedent is retired already")
        found.retired = True
        found.save(update_fields=["retired"])
        write_ledger(
            "precedent.retired",
            found,
            actor=self.actor,
            now=self.now,
            brief=found.brief,
            facts={"case": found.case.number, "kind": found.kind, "text": found.text[:200]},
        )
        return found


@dataclass
class KeepRulings:
    """What judges said; one that could not be read may be asked for again and is replaced."""

    rulings: list[Ruling]
    now: datetime

    @transaction.atomic
    def execute(self) -> int:
        for ruling in self.rulings:
            Ruling.objects.update_or_create(
                precedent=ruling.precedent,
                output=ruling.output,
                defaults={"holds": ruling.holds, "why": ruling.why, "created_at": self.now},
            )
        return len(self.rulings)
