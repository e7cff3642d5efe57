"""Briefs and scorecards."""

from __future__ import annotations

from collections.abc import Mapping
from importlib.metadata import EntryPoint
from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.errors import MeasureError
from nomikon.core.measures.declared import Parameter, declared
from nomikon.core.measures.installed import load_installed
from nomikon.core.measures.judging import JudgeMeasure
from nomikon.core.measures.registry import FAMILIES, own_measures
from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.briefs.models import Brief, Scorecard
from nomikon.server.apps.briefs.reads import BriefMade, MeasureShape, ScorecardShape
from nomikon.server.apps.briefs.takes import BriefChangeRequest, BriefRequest, ScorecardRequest
from nomikon.server.people import actor_of
from nomikon.server.seen import check_seen
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


@documented("create_brief", takes=BriefRequest, gives=BriefMade)
@api_view(["POST"])
def briefs(request: Request) -> Response:
    """Open a new brief."""
    data = taken(BriefRequest, request)
    brief = CreateBrief(**data, actor=actor_of(request), now=timezone.now()).execute()
    return given(BriefMade)({"id": brief.pk})


@documented("change_brief", takes=BriefChangeRequest, gives=BriefMade)
@api_view(["PUT"])
def change_brief(request: Request, brief_id: int) -> Response:
    """Change a brief's name, job or task."""
    data: dict[str, Any] = dict(taken(BriefChangeRequest, request))
    found = get_object_or_404(Brief, pk=brief_id)
    seen = data.pop("seen", None)
    check_seen(seen, {"name": found.name, "job": found.job, "task": found.task})
    change = CreateBrief(**data, actor=actor_of(request), now=timezone.now())
    change.change(found)
    return given(BriefMade)({"id": found.pk})


@documented("measures", gives=list[MeasureShape])
@api_view(["GET"])
def measures(request: Request) -> Response:
    """Every measure with its parameters."""
    rows = []
    for family, found in FAMILIES.items():
        for m in found:
            parameters, output, reference, score = m.worked
            rows.append(
                {
                    "name": m.name,
                    "family": family,
                    "description": m.description,
                    "needs_reference": m.needs_reference,
                    **_parameters(declared(m.parameters)),
                    "judged": issubclass(m, JudgeMeasure),
                    "example": {
                        "parameters": parameters,
                        "output": output,
                        "reference": reference,
                        "score": score,
                    },
                }
            )
    rows += [_installed(entry) for entry in own_measures().values()]
    return given(list[MeasureShape])([copied(MeasureShape, row) for row in rows])


def _parameters(found: Mapping[str, Parameter]) -> dict[str, Any]:
    """What each parameter is for, and what it takes, for a form."""
    return {
        "parameters": {name: p.words for name, p in found.items()},
        "sorts": {
            name: {"sort": p.sort, "options": list(p.options), "default": p.default is True}
            for name, p in found.items()
        },
    }


def _installed(entry: EntryPoint) -> dict[str, Any]:
    """A measure that another package on this server offers; one that does not load says so."""
    try:
        kind = load_installed(entry)
        told, needs = kind.description, kind.needs_reference
        parameters = declared(kind.parameters)
        example: Any = getattr(kind, "worked", ({}, "", None, None))
    except MeasureError as error:
        told, needs, parameters, example = error.message, False, {}, ({}, "", None, None)
    return {
        "name": entry.name,
        "family": "installed",
        "description": told,
        "needs_reference": needs,
        **_parameters(parameters),
        "judged": False,
        "example": dict(zip(("parameters", "output", "reference", "score"), example, strict=True)),
    }


def _card(card: Scorecard) -> ScorecardShape:
    return {
        "id": card.pk,
        "number": card.number,
        "document": card.document,
        "created_at": card.created_at,
    }


@documented("save_scorecard", takes=ScorecardRequest, gives=ScorecardShape)
@api_view(["POST"])
def scorecards(request: Request, brief_id: int) -> Response:
    """Save a scorecard; the former ones stay."""
    found = get_object_or_404(Brief, pk=brief_id)
    data = taken(ScorecardRequest, request)
    newest = found.scorecards.order_by("-number").first()
    if newest is not None and data.get("seen") is not None:
        check_seen(
            {"scorecard": data["seen"]},
            {"scorecard": newest.number, "document": newest.document},
        )
    card = SaveScorecard(found, data["document"], actor_of(request), timezone.now()).execute()
    return given(ScorecardShape)(_card(card))


@documented("scorecards", gives=list[ScorecardShape])
@api_view(["GET"])
def all_scorecards(request: Request, brief_id: int) -> Response:
    """Every scorecard of a brief, the newest first."""
    found = get_object_or_404(Brief, pk=brief_id)
    return given(list[ScorecardShape])([_card(c) for c in found.scorecards.order_by("-number")])
