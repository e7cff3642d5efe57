"""Open a new brief."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import DomainError
from nomikon.core.prompts.files import TASKS
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.ledger.write import write_ledger


class BriefError(DomainError):
    """A brief's own fields are not usable."""

    code = "brief_invalid"


@dataclass
class CreateBrief:
    """A brief needs a name; the job in words and the kind of task may follow later."""

    name: str
    job: str
    task: str
    actor: str
    now: datetime

    def check(self) -> None:
        if not self.name.strip():
            raise BriefError("a brief needs a name", field="name")
        if self.task not in TASKS:
            raise BriefError(
                f"unknown task {self.task!r}; allowed are {', '.join(TASKS)}", field="task"
            )

    @transaction.atomic
    def execute(self) -> Brief:
        self.check()
        brief = Brief.objects.create(
            name=self.name.strip(), job=self.job.strip(), task=self.task, created_at=self.now
        )
        write_ledger(
            "brief.created",
            brief,
            actor=self.actor,
            now=self.now,
            brief=brief,
            facts={"name": brief.name},
        )
        return brief

    @transaction.atomic
    def change(self, brief: Brief) -> Brief:
        """Give an existing brief these fields instead."""
        self.check()
        brief.name, brief.job, brief.task = self.name.strip(), self.job.strip(), self.task
        brief.save(update_fields=["name", "job", "task"])
        write_ledger(
            "brief.changed",
            brief,
            actor=self.actor,
            now=self.now,
            brief=brief,
            facts={"name": brief.name},
        )
        return brief
