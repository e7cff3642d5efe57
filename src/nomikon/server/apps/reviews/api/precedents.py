"""Precedents: proposed from a mark, kept, held against every trial, answered by judges."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.measures.precedents import propose_precedents
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.reviews.actions.inherit_mark import InheritMark
from nomikon.server.apps.reviews.actions.keep_precedent import KeepPrecedent, RetirePrecedent
from nomikon.server.apps.reviews.models import Precedent
from nomikon.server.apps.reviews.one_output import mark_row
from nomikon.server.apps.reviews.precedents import board_of, precedent_row
from nomikon.server.apps.reviews.reads import (
    MarkShape,
    PrecedentBoard,
    PrecedentShape,
    ProposedPrecedent,
)
from nomikon.server.apps.reviews.takes import (
    InheritRequest,
    KeepPrecedentRequest,
    ProposePrecedents,
)
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.apps.trials.models import Output
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


@documented("propose_precedents", takes=ProposePrecedents, gives=list[ProposedPrecedent])
@api_view(["POST"])
def propose(request: Request, output_id: int) -> Response:
    """Checks that would catch again what is said of an answer; nothing is stored."""
    output = get_object_or_404(Output.every, pk=output_id)
    data = taken(ProposePrecedents, request)
    found = propose_precedents(
        answer=output.text,
        comment=data["comment"],
        spans=[(output.text[s["start"] : s["end"]], s["comment"]) for s in data["spans"]],
        better=data["better"],
    )
    return given(list[ProposedPrecedent])([copied(ProposedPrecedent, p) for p in found])


@documented("keep_precedent", takes=KeepPrecedentRequest, gives=PrecedentShape)
@api_view(["POST"])
def keep(request: Request, output_id: int) -> Response:
    """Make a precedent of an answer: every version is held to it from now on."""
    get_object_or_404(Output.every, pk=output_id)
    data = taken(KeepPrecedentRequest, request)
    made = KeepPrecedent(output_id, **data, actor=actor_of(request), now=timezone.now()).execute()
    return given(PrecedentShape)(precedent_row(made))


@documented("precedents", gives=list[PrecedentShape])
@api_view(["GET"])
def precedents(request: Request, brief_id: int) -> Response:
    """A brief's precedents, the newest first."""
    brief = get_object_or_404(Brief, pk=brief_id)
    found = brief.precedents.select_related("case", "judge").order_by("retired", "-id")
    return given(list[PrecedentShape])([precedent_row(p) for p in found])


@documented("retire_precedent", gives=PrecedentShape)
@api_view(["POST"])
def retire(request: Request, precedent_id: int) -> Response:
    """Retire a precedent: it is kept, and no version is held to it any more."""
    get_object_or_404(Precedent, pk=precedent_id)
    made = RetirePrecedent(precedent_id, actor_of(request), timezone.now()).execute()
    return given(PrecedentShape)(precedent_row(made))


@documented("trial_precedents", gives=PrecedentBoard)
@api_view(["GET"])
def trial_precedents(request: Request, trial_id: int) -> Response:
    """Which arm of a trial holds how many precedents, and where it breaks one."""
    return given(PrecedentBoard)(copied(PrecedentBoard, board_of(trial_or_404(trial_id))))


@documented("inherit_mark", takes=InheritRequest, gives=MarkShape)
@api_view(["POST"])
def inherit(request: Request, output_id: int) -> Response:
    """Take over the mark of an identical answer to the same case."""
    get_object_or_404(Output, pk=output_id)
    data = taken(InheritRequest, request)
    get_object_or_404(Output.every, pk=data["from_output"])
    made = InheritMark(output_id, **data, actor=actor_of(request), now=timezone.now()).execute()
    return given(MarkShape)(mark_row(made))
