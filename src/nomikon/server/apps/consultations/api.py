"""Consultations: a helping model is asked, its reply read, edited, taken or dropped."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.cases.proposing import coverage
from nomikon.core.consulting import Reading
from nomikon.core.consulting.roles import UnreadableReplyError
from nomikon.core.digits import whole_number
from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts import Message, render
from nomikon.core.prompts.questions import Question
from nomikon.core.trials.estimates import estimate_messages
from nomikon.server.apps.briefs.actions.settle_question import KeepQuestions
from nomikon.server.apps.briefs.instructions import instruction_for
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.consultations.actions.ask_rulings import AskRulings
from nomikon.server.apps.consultations.actions.consult import CloseConsultation, Consult, EditReply
from nomikon.server.apps.consultations.actions.let_it_read import LetItRead
from nomikon.server.apps.consultations.asking import (
    price_at_most,
    reading_of,
    request_of,
    why_nothing,
)
from nomikon.server.apps.consultations.model_reading import ask_for_reading, model_reading
from nomikon.server.apps.consultations.models import OPEN, TAKEN, Consultation
from nomikon.server.apps.consultations.reads import (
    AskedQuestionShape,
    ConsultationShape,
    ConsultedShape,
    MaybeConsultation,
    ModelReadingShape,
    PreparedShape,
    ReplyReading,
    StandingReaderShape,
)
from nomikon.server.apps.consultations.subjects import Prepared, prepare
from nomikon.server.apps.consultations.takes import (
    ConsultRequest,
    ModelReadingRequest,
    OpenConsultationQuery,
    SettleConsultationRequest,
    StandingReaderRequest,
)
from nomikon.server.apps.datasets.coverage import coverage_told
from nomikon.server.apps.datasets.reads import ProposalShape
from nomikon.server.apps.reviews.precedents import board_of
from nomikon.server.apps.reviews.proposed import with_before
from nomikon.server.apps.reviews.reads import (
    PrecedentBoard,
)
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.apps.twins.writing import told_twins
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken

# A question that was put so long ago and has no reply will get none: the web process was stopped.
LOST_AFTER = timedelta(hours=1)


@documented(
    "open_consultation",
    gives=MaybeConsultation,
    asks=OpenConsultationQuery,
    methods=["GET"],
)
@documented("consult", takes=ConsultRequest, gives=ConsultedShape, methods=["POST"])
@api_view(["GET", "POST"])
def consultations(request: Request) -> Response:
    """The newest reply in a role that was neither taken nor dropped, of a brief where one is named.

    A POST tells what a helping model would be asked and what that can cost at most; with `ask` it
    is asked, too, and its reply is waited for and kept until it is taken or dropped.
    """
    if request.method == "GET":
        return given(MaybeConsultation)({"consultation": _still_open(request)})
    data = taken(ConsultRequest, request)
    model = Model.objects.select_related("connection").filter(pk=data["model"] or 0).first()
    made = None
    if data["ask"]:
        if model is None:
            raise PromptError("the model that is to be asked is not there", field="model")
        made = Consult(
            data["role"],
            data["about"],
            model,
            data["instruction"],
            data["again"],
            actor_of(request),
            timezone.now(),
        ).execute()
    told = None if made else _prepared(data, model)
    return given(ConsultedShape)({"prepared": told, "consultation": _shown(made) if made else None})


def _prepared(data: Mapping[str, Any], model: Model | None) -> PreparedShape:
    """What a model would be asked. Without words of its own the newest wording is taken."""
    found = prepare(data["role"], data["about"])
    newest = instruction_for(data["role"])
    asked = request_of(found, data["instruction"] or newest)
    cost = None if model is None else price_at_most(found.role, asked, model, data["again"])
    return {
        "instruction": newest,
        # With its holes filled.
        "form": render([Message("system", found.role.form)], found.inputs).messages[0].content,
        "shown": "\n\n".join(m.content for m in asked[1:]),
        "tokens": estimate_messages([m.content for m in asked]),
        "cost_at_most": cost,
    }


def _still_open(request: Request) -> ConsultationShape | None:
    found = Consultation.objects.filter(
        role=request.query_params.get("role", ""),
        state=OPEN,
        created_by=actor_of(request),
    )
    brief = request.query_params.get("brief", "")
    found = found.filter(brief=number) if (number := whole_number(brief)) is not None else found
    row = found.select_related("model__connection").first()
    if row is None or (not row.tries and timezone.now() - row.created_at > LOST_AFTER):
        return None
    return _shown(row)


@documented("model_reading", takes=ModelReadingRequest, gives=ModelReadingShape)
@api_view(["POST"])
def read_by_model(request: Request, brief_id: int) -> Response:
    """How a model reads this very text, as far as it was asked; with `ask` it is asked, twice in all."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(ModelReadingRequest, request)
    model = Model.objects.select_related("connection").filter(pk=data["model"] or 0).first()
    if data["ask"]:
        if model is None:
            raise PromptError("the model that is to be asked is not there", field="model")
        ask_for_reading(brief, data["messages"], model, actor_of(request), timezone.now())
    return given(ModelReadingShape)(model_reading(brief, data["messages"], model))


@documented("standing_reader", takes=StandingReaderRequest, gives=StandingReaderShape)
@api_view(["PUT"])
def standing_reader(request: Request, brief_id: int) -> Response:
    """Have every version that is saved read by a model without a press each, or no longer."""
    brief = get_object_or_404(Brief, pk=brief_id)
    chosen = taken(StandingReaderRequest, request)["model"]
    model = Model.objects.filter(pk=chosen).first() if chosen is not None else None
    if chosen is not None and model is None:
        raise PromptError("the model that is to be asked is not there", field="model")
    LetItRead(brief, model, actor_of(request), timezone.now()).execute()
    return given(StandingReaderShape)({"standing": model.pk if model else None})


@documented("consultation", gives=ConsultationShape, methods=["GET"])
@documented(
    "settle_consultation",
    takes=SettleConsultationRequest,
    gives=ConsultationShape,
    methods=["PATCH"],
)
@api_view(["GET", "PATCH"])
def consultation(request: Request, consultation_id: int) -> Response:
    """One consultation with its reply as it is read now.

    A PATCH with `text` puts a person's wording in the reply's place, nothing is asked or paid; one
    with `state` takes or drops it. Questions that are taken, or that come with a first version that
    is, are kept open with the brief; `places` keeps to some of them.
    """
    row = get_object_or_404(
        Consultation.objects.select_related("model__connection", "brief"), pk=consultation_id
    )
    if request.method == "PATCH":
        data = taken(SettleConsultationRequest, request)
        if data["text"] is not None:
            row = EditReply(row, data["text"]).execute()
        if data["state"] is not None:
            _keep_questions(row, data, request)
            row = CloseConsultation(row, data["state"]).execute()
    return given(ConsultationShape)(_shown(row))


def _keep_questions(row: Consultation, data: Mapping[str, Any], request: Request) -> None:
    asks = row.role in ("questions", "draft")
    if data["state"] != TAKEN or not asks or row.state != OPEN or not row.brief:
        return
    found = reading_of(prepare(row.role, row.about), row.text, row.model.name)
    # A first version brings questions beside its clauses: what the job leaves open.
    chosen = [
        Question(**{**q, "answers": tuple(q["answers"])})
        for n, q in enumerate(found.value if row.role == "questions" else found.open, 1)
        if data["places"] is None or n in data["places"]
    ]
    KeepQuestions(row.brief, chosen, actor_of(request), timezone.now()).execute()


def _shown(row: Consultation) -> ConsultationShape:
    problem, line = "", 0
    reading: ReplyReading | None = None
    if row.text:
        try:
            found = prepare(row.role, row.about)
            reading = _reading(found, reading_of(found, row.text, row.model.name))
        except UnreadableReplyError as error:
            problem, line = error.message, error.facts.get("line", 0)
        except DomainError as error:
            problem = f"what it was about has changed since: {error.message}"
    elif row.tries:
        problem = row.tries[-1]["failure"] or "the reply is empty"
    costs = [t["cost"] for t in row.tries if t["cost"] is not None]
    return {
        "id": row.pk,
        "role": row.role,
        "state": row.state,
        "waiting": not row.tries,
        "model": row.model.name,
        "simulated": row.model.is_simulated,
        "about": row.about,
        "instruction": row.instruction,
        "request": row.request,
        "tries": row.tries,
        "text": row.text,
        "edited": row.edited,
        "cost": sum(costs) if costs else None,
        "problem": problem,
        "line": line,
        "reading": reading,
        "created_at": row.created_at,
        "created_by": row.created_by,
    }


def _reading(found: Prepared, reading: Reading) -> ReplyReading:
    shown: ReplyReading = {
        "items": reading.items,
        "refused": [{"place": place, "reason": why} for place, why in reading.refused],
        "repaired": reading.repaired,
        "passed_over": reading.passed_over,
        "nothing": why_nothing(reading),
    }
    role = found.role.name
    if role == "draft":
        shown["clauses"] = reading.value
        shown["questions"] = [copied(AskedQuestionShape, q) for q in reading.open]
    elif role == "questions":
        shown["questions"] = [copied(AskedQuestionShape, q) for q in reading.value]
    elif role == "cases":
        shown["cases"] = [
            copied(
                ProposalShape,
                c,
                near_case=None if c["near"] is None else found.cases[c["near"]],
            )
            for c in reading.value
        ]
        shown["before"] = coverage_told(coverage(found.subject.dimensions, found.tags))
    elif role in ("amendments", "shorter", "adapt", "wishes"):
        shown["amendments"] = with_before(found.subject.messages, reading.value)
    elif role == "twins":
        shown["twins"] = told_twins(found.subject.shown, reading.value)
    elif role == "rubric":
        shown["criteria"] = reading.value
    else:
        shown["text"] = reading.value
    return shown


@documented("ask_rulings", gives=PrecedentBoard)
@api_view(["POST"])
def ask(request: Request, trial_id: int) -> Response:
    """Ask judges about some of a trial's answers that are still open, and keep what they say."""
    trial = trial_or_404(trial_id)
    AskRulings(trial, actor_of(request), timezone.now()).execute()
    return given(PrecedentBoard)(copied(PrecedentBoard, board_of(trial)))
