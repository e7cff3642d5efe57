"""Answer an open question, skip it, or say that it does not matter; each can be changed later."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import PromptError
from nomikon.core.prompts.questions import Question, clause_of
from nomikon.server.apps.briefs.models import ANSWERED, OPEN, QUESTION_STATES, AskedQuestion, Brief
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class SettleQuestion:
    """state: answered, skipped, indifferent, or open to take it back."""

    brief: Brief
    question: Question
    state: str
    answer: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> AskedQuestion:
        if self.state not in QUESTION_STATES:
            raise PromptError(
                f"state is {self.state!r}; allowed are {', '.join(QUESTION_STATES)}", field="state"
            )
        answer = ""
        if self.state == ANSWERED:
            clause_of(self.question, self.answer)
            answer = " ".join(self.answer.split())
        row, _ = AskedQuestion.objects.update_or_create(
            brief=self.brief,
            key=self.question.key,
            defaults={
                "text": self.question.text,
                "why": self.question.why,
                "answers": list(self.question.answers),
                "clause": self.question.clause,
                "asked_by": self.question.asked_by,
                "state": self.state,
                "answer": answer,
                "settled_at": None if self.state == OPEN else self.now,
            },
        )
        write_ledger(
            "question.settled",
            self.brief,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"question": row.text, "state": self.state, "answer": answer[:300]},
        )
        return row


@dataclass
class KeepQuestions:
    """Questions a model asked, kept open until a person settles them."""

    brief: Brief
    questions: list[Question]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> int:
        rows = [
            AskedQuestion(
                brief=self.brief,
                key=q.key,
                text=q.text,
                why=q.why,
                answers=list(q.answers),
                clause=q.clause,
                asked_by=q.asked_by,
            )
            for q in self.questions
        ]
        AskedQuestion.objects.bulk_create(rows, ignore_conflicts=True)
        if rows:
            write_ledger(
                "questions.asked",
                self.brief,
                actor=self.actor,
                now=self.now,
                brief=self.brief,
                facts={"questions": len(rows), "model": rows[0].asked_by},
            )
        return len(rows)
