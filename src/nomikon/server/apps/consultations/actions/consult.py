"""Ask a helping model; its paid reply is kept until a person takes or drops it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.errors import PromptError
from nomikon.core.prompts import Message, as_rows
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.consultations.asking import Try, as_row, problem_of, put, request_of
from nomikon.server.apps.consultations.models import DROPPED, OPEN, STATES, TAKEN, Consultation
from nomikon.server.apps.consultations.subjects import prepare
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.link import WorkerAwayError

LONGEST = 1_000_000


@dataclass
class Consult:
    """again: where the reply cannot be read, ask once more with what is wrong with it."""

    role: str
    about: Mapping[str, Any]
    model: Model
    instruction: str
    again: bool
    actor: str
    now: datetime

    def execute(self) -> Consultation:
        """Not one transaction: what was paid for is stored before the next question goes out."""
        prepared = prepare(self.role, self.about)
        request = request_of(prepared, self.instruction)
        row = Consultation.objects.create(
            role=self.role,
            brief=prepared.brief,
            model=self.model,
            about=dict(self.about),
            settings=dict(prepared.role.settings),
            instruction=self.instruction,
            request=as_rows(request),
            created_at=self.now,
            created_by=self.actor,
        )
        try:
            first = put(prepared.role, request, self.model)
        except WorkerAwayError:
            row.delete()
            raise
        first = replace(first, problem=problem_of(prepared, first, self.model.name))
        self._keep(row, first)
        if first.problem and self.again and first.reply:
            more: tuple[Message, ...] = prepared.role.retold(request, first.reply, first.problem)
            second = put(prepared.role, more, self.model)
            second = replace(second, problem=problem_of(prepared, second, self.model.name))
            self._keep(row, second)
        return row

    @transaction.atomic
    def _keep(self, row: Consultation, tried: Try) -> None:
        row.tries = [*row.tries, as_row(tried)]
        # A second reply that is worse than the first does not take its place.
        if tried.reply and (not row.text or not tried.problem):
            row.text = tried.reply
        row.save()
        write_ledger(
            "consultation.asked",
            row,
            actor=self.actor,
            now=self.now,
            brief=row.brief,
            facts={
                "role": self.role,
                "model": self.model.name,
                "again": len(row.tries) > 1,
                "failure": tried.failure[:200],
                "problem": tried.problem[:200],
            },
            cost_nano=tried.cost,
            simulated_nano=self.model.simulated_part(tried.cost),
        )


@dataclass
class EditReply:
    """A person's wording of a reply, read in its place; nothing is asked or paid."""

    row: Consultation
    text: str

    def execute(self) -> Consultation:
        if len(self.text) > LONGEST:
            raise PromptError(
                f"it has {len(self.text):,} characters; at most {LONGEST:,} are taken", field="text"
            )
        came = self.row.tries[-1]["reply"] if self.row.tries else ""
        self.row.text, self.row.edited = self.text, self.text != came
        self.row.save(update_fields=["text", "edited"])
        return self.row


@dataclass
class CloseConsultation:
    """The reply was taken, or is of no use."""

    row: Consultation
    state: str

    def execute(self) -> Consultation:
        if self.state not in (TAKEN, DROPPED):
            raise PromptError(
                f"{self.state!r} is no end of a consultation; allowed are {TAKEN}, {DROPPED}",
                field="state",
            )
        assert self.row.state in STATES
        if self.row.state == OPEN:
            self.row.state = self.state
            self.row.save(update_fields=["state"])
        return self.row
