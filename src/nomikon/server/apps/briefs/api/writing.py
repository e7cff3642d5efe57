"""A first version from the brief, and the questions the brief leaves open."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts import as_rows, check_messages
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.proposals import apply_proposals, check_proposal
from nomikon.core.prompts.questions import (
    Question,
    open_questions,
    proposed_for,
)
from nomikon.core.prompts.reasons import reason_of
from nomikon.core.prompts.writing import (
    WrittenClause,
    as_messages,
)
from nomikon.core.trials.estimates import estimate_messages
from nomikon.server.apps.briefs.actions.settle_question import SettleQuestion
from nomikon.server.apps.briefs.facts import read_as
from nomikon.server.apps.briefs.message_rows import message_rows
from nomikon.server.apps.briefs.models import ANSWERED, AskedQuestion, Brief
from nomikon.server.apps.briefs.questions import as_question, questions_of
from nomikon.server.apps.briefs.reads import (
    ComposedShape,
    QuestionAmendment,
    QuestionsShape,
    ReasonShape,
    SettledShape,
)
from nomikon.server.apps.briefs.takes import ComposeRequest, SettleRequest, TextRequest
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


def _text(data: TextRequest) -> tuple[Message, ...]:
    """The text under work as far as it can be read: an empty one has no message yet."""
    try:
        return check_messages([dict(m) for m in data["messages"]])
    except DomainError:
        return ()


@documented("compose_version", takes=ComposeRequest, gives=ComposedShape)
@api_view(["POST"])
def compose(request: Request, brief_id: int) -> Response:
    """The text that the clauses taken make, with the reason of each; nothing is saved."""
    get_object_or_404(Brief, pk=brief_id)
    rows = taken(ComposeRequest, request)["clauses"]
    clauses = [WrittenClause(r["role"], r["part"], r["text"], r["reason"]) for r in rows]
    messages = check_messages(as_rows(as_messages(clauses)))
    numbered = clauses_of(messages)
    reasons: list[ReasonShape] = []
    for clause in clauses:
        first = clause.text.strip().split("\n")[0]
        at = next((c.number for c in numbered if first.startswith(c.text.split("\n")[0])), 0)
        reasons.append(copied(ReasonShape, reason_of("add", at, clause.text, clause.reason)))
    return given(ComposedShape)(
        {
            "messages": message_rows(messages),
            "reasons": reasons,
            "tokens": estimate_messages([m.content for m in messages]),
        },
    )


@documented("questions", takes=TextRequest, gives=QuestionsShape)
@api_view(["POST"])
def questions(request: Request, brief_id: int) -> Response:
    """What the brief and the text under work leave open, and what was settled."""
    brief = get_object_or_404(Brief, pk=brief_id)
    messages = _text(taken(TextRequest, request))
    return given(QuestionsShape)({"questions": questions_of(brief, messages)})


def _question(brief: Brief, key: str, messages: tuple[Message, ...]) -> Question:
    row = AskedQuestion.objects.filter(brief=brief, key=key).first()
    if row is not None:
        return as_question(row)
    found = next(
        (
            q
            for q in open_questions(brief.job, brief.task, messages, read_as(brief, messages))
            if q.key == key
        ),
        None,
    )
    if found is None:
        raise PromptError("this question is not open any more", field="key")
    return found


@documented("settle_question", takes=SettleRequest, gives=SettledShape)
@api_view(["POST"])
def settle(request: Request, brief_id: int) -> Response:
    """Answer, skip or wave a question; an answer comes back as a clause to take or leave."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(SettleRequest, request)
    messages = _text(data)
    question = _question(brief, data["key"], messages)
    SettleQuestion(
        brief, question, data["state"], data["answer"], actor_of(request), timezone.now()
    ).execute()
    proposed: QuestionAmendment | None = None
    if data["state"] == ANSWERED and messages:
        made = proposed_for(question, data["answer"], messages)
        check_proposal(made, messages)
        proposed = {
            "clause": made.clause,
            "text": made.text,
            "reason": made.reason,
            "messages": message_rows(apply_proposals(messages, [made])),
        }
    return given(SettledShape)({"questions": questions_of(brief, messages), "proposed": proposed})
