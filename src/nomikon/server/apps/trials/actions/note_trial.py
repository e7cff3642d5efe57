"""Rename a trial, write beside it, put it out of the way."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.ledger.write import emit, write_ledger
from nomikon.server.apps.trials.models import Trial


@dataclass
class NoteTrial:
    """question, note, archived: None leaves each as it is."""

    trial: Trial
    actor: str
    now: datetime
    question: str | None = None
    note: str | None = None
    archived: bool | None = None

    @transaction.atomic
    def execute(self) -> Trial:
        trial = Trial.objects.select_related("brief").get(pk=self.trial.pk)
        before = (trial.question, trial.note, trial.archived)
        if self.question is not None:
            trial.question = self.question.strip()
        if self.note is not None:
            trial.note = self.note.strip()
        if self.archived is not None:
            trial.archived = self.archived
        if (trial.question, trial.note, trial.archived) == before:
            return trial
        trial.save(update_fields=["question", "note", "archived"])
        write_ledger(
            "trial.noted",
            trial,
            actor=self.actor,
            now=self.now,
            brief=trial.brief,
            facts={
                "trial": trial.number,
                "question": trial.question,
                "note": trial.note[:200],
                "archived": trial.archived,
            },
        )
        emit(f"trial:{trial.pk}", "noted", {}, now=self.now)
        return trial
