"""A brief's open questions and the facts that answers have made of them."""

from __future__ import annotations

from collections.abc import Sequence

from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.questions import Question, facts_in_words, open_questions
from nomikon.server.apps.briefs.facts import read_as
from nomikon.server.apps.briefs.models import ANSWERED, OPEN, AskedQuestion, Brief
from nomikon.server.apps.briefs.reads import QuestionShape


def facts_of(brief: Brief) -> list[tuple[str, str]]:
    """Answered questions with their answers, in the order they were answered in."""
    rows = brief.questions.filter(state=ANSWERED).order_by("settled_at", "id")
    return list(rows.values_list("text", "answer"))


def job_of(brief: Brief) -> str:
    """The job as a model is told it: what is written, then the facts."""
    job = brief.job or brief.name
    facts = facts_in_words(facts_of(brief))
    return f"{job}\n\nFacts:\n{facts}" if facts else job


def as_question(row: AskedQuestion) -> Question:
    """A stored question as core knows it."""
    return Question(row.key, row.text, row.why, tuple(row.answers), row.clause, row.asked_by)


def questions_of(brief: Brief, messages: Sequence[Message]) -> list[QuestionShape]:
    """Every question: what is open first, then what was settled, newest first.

    What a rule asks is open as long as neither job nor text nor a person settles it.
    """
    stored = list(brief.questions.order_by("-settled_at", "id"))
    settled = {r.key for r in stored}
    checked = [
        q
        for q in open_questions(brief.job, brief.task, messages, read_as(brief, messages))
        if q.key not in settled
    ]
    rows = [_row(q, OPEN, "") for q in checked]
    rows += [_row(as_question(r), r.state, r.answer) for r in stored if r.state == OPEN]
    rows += [_row(as_question(r), r.state, r.answer) for r in stored if r.state != OPEN]
    return rows


def _row(question: Question, state: str, answer: str) -> QuestionShape:
    return {
        "key": question.key,
        "text": question.text,
        "why": question.why,
        "answers": list(question.answers),
        "asked_by": question.asked_by,
        "state": state,
        "answer": answer,
    }
