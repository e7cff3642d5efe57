"""Briefs and scorecards."""

from __future__ import annotations

from collections.abc import Iterable
from importlib.metadata import EntryPoint
from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.errors import MeasureError
from nomikon.core.measures.installed import load_installed
from nomikon.core.measures.judging import JudgeMeasure
from nomikon.core.measures.registry import FAMILIES, own_measures
from nomikon.core.measures.sorts import sort_of
from nomikon.server.api import shapes
from nomikon.server.api.common import documented, given, taken
from nomikon.server.briefs.actions.create_brief import CreateBrief
from nomikon.server.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.briefs.models import Brief
from nomikon.server.desk.overview import brief_detail
from nomikon.server.people import actor_of


@documented("create_brief", takes=shapes.BriefRequest, gives=shapes.BriefMade)
@api_view(["POST"])
def briefs(request: Request) -> Response:
    """Open a new brief."""
    data = taken(shapes.BriefRequest, request)
    brief = CreateBrief(**data, actor=actor_of(request), now=timezone.now()).execute()
    return given(shapes.BriefMade, {"id": brief.pk})


@documented("brief", gives=shapes.BriefDetail)
@api_view(["GET"])
def brief(request: Request, brief_id: int) -> Response:
    """The frame around a brief: stages, lineage, datasets, scorecard."""
    return given(shapes.BriefDetail, brief_detail(get_object_or_404(Brief, pk=brief_id)))


@documented("change_brief", takes=shapes.BriefRequest, gives=shapes.BriefMade)
@api_view(["PUT"])
def change_brief(request: Request, brief_id: int) -> Response:
    """Change a brief's name, job or task."""
    data = taken(shapes.BriefRequest, request)
    found = get_object_or_404(Brief, pk=brief_id)
    change = CreateBrief(**data, actor=actor_of(request), now=timezone.now())
    change.change(found)
    return given(shapes.BriefMade, {"id": found.pk})


@documented("measures", gives=shapes.MeasureShape(many=True))
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
                    "parameters": dict(m.parameters),
                    "sorts": _sorts(m.name, m.parameters),
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
    return given(shapes.MeasureShape, rows, many=True)


def _sorts(measure: str, parameters: Iterable[str]) -> dict[str, Any]:
    """What each parameter takes, for a form."""
    found = {name: sort_of(measure, name) for name in parameters}
    return {name: {"sort": s.sort, "options": list(s.options)} for name, s in found.items()}


def _installed(entry: EntryPoint) -> dict[str, Any]:
    """A measure that another package on this server offers; one that does not load says so."""
    try:
        kind = load_installed(entry)
        told, needs = kind.description, kind.needs_reference
        parameters = dict(kind.parameters)
        example: Any = getattr(kind, "worked", ({}, "", None, None))
    except MeasureError as error:
        told, needs, parameters, example = error.message, False, {}, ({}, "", None, None)
    return {
        "name": entry.name,
        "family": "installed",
        "description": told,
        "needs_reference": needs,
        "parameters": parameters,
        "sorts": _sorts(entry.name, parameters),
        "judged": False,
        "example": dict(zip(("parameters", "output", "reference", "score"), example, strict=True)),
    }


@documented("save_scorecard", takes=shapes.ScorecardRequest, gives=shapes.ScorecardShape)
@api_view(["POST"])
def scorecards(request: Request, brief_id: int) -> Response:
    """Save a scorecard; the former ones stay."""
    found = get_object_or_404(Brief, pk=brief_id)
    data = taken(shapes.ScorecardRequest, request)
    card = SaveScorecard(found, data["document"], actor_of(request), timezone.now()).execute()
    return given(shapes.ScorecardShape, card)


@documented("scorecards", gives=shapes.ScorecardShape(many=True))
@api_view(["GET"])
def all_scorecards(request: Request, brief_id: int) -> Response:
    """Every scorecard of a brief, the newest first."""
    found = get_object_or_404(Brief, pk=brief_id)
    return given(shapes.ScorecardShape, found.scorecards.order_by("-number"), many=True)
