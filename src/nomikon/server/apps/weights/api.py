"""Clause weights: plan and start a weighing, read it, test what does nothing, save without it."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.rounds.reads import RoundsProblem
from nomikon.server.apps.weights.actions.start_strike import StartStrike, plan_of_strike
from nomikon.server.apps.weights.actions.start_weighing import StartWeighing
from nomikon.server.apps.weights.earned import earned_for, earned_lines
from nomikon.server.apps.weights.models import Strike, Weighing
from nomikon.server.apps.weights.planning import WeighingPlan, lines_of, plan_weighing, tokens_of
from nomikon.server.apps.weights.reading import weighing_detail, weighing_facts
from nomikon.server.apps.weights.reads import (
    EarnedLine,
    StrikePlanShape,
    TrimmedShape,
    WeighedLine,
    WeighingPlanShape,
    WeighingRow,
    WeighingShape,
)
from nomikon.server.apps.weights.takes import (
    FittingRequest,
    StartWeighingRequest,
    StrikeRequest,
    WeighingRequest,
)
from nomikon.server.apps.weights.trimming import trimmed_version
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


def _weighings() -> QuerySet[Weighing]:
    return Weighing.objects.select_related("brief", "version", "trial__scorecard")


def _plan(brief_id: int, data: WeighingRequest) -> WeighingPlan:
    chosen: dict[str, Any] = {k: v for k, v in data.items() if k != "budget"}
    return plan_weighing(get_object_or_404(Brief, pk=brief_id), **chosen)


@documented("plan_weighing", takes=WeighingRequest, gives=WeighingPlanShape)
@api_view(["POST"])
def plan(request: Request, brief_id: int) -> Response:
    """Which clauses a weighing leaves out, and what it takes; nothing is stored."""
    made = _plan(brief_id, taken(WeighingRequest, request))
    e, lines = made.trial.estimate, lines_of(made.version)
    return given(WeighingPlanShape)(
        {
            "lines": [copied(WeighedLine, x) for x in lines],
            "free": [
                {"clauses": list(u), "tokens": tokens_of(lines, u)} for u in made.leaving.free
            ],
            "locked": [{"clause": n, "why": why} for n, why in made.leaving.locked.items()],
            "rows": len(made.rows),
            "at_most_out": max(map(len, made.rows)),
            "n_cases": len(made.trial.entries),
            "n_working": made.n_working,
            "suggested": made.suggested,
            "calls": e.calls,
            "one_by_one": made.one_by_one,
            "cost": e.cost,
            "simulated_cost": made.trial.simulated_cost,
            "in_store": made.trial.in_store,
            "unpriced": e.unpriced,
            "problems": [copied(RoundsProblem, p) for p in e.problems],
        },
    )


@documented("start_weighing", takes=StartWeighingRequest, gives=WeighingRow)
@api_view(["POST"])
def start(request: Request, brief_id: int) -> Response:
    """Start a weighing; the worker takes it up within a second."""
    data = taken(StartWeighingRequest, request)
    made = StartWeighing(
        _plan(brief_id, data), data["budget"], actor_of(request), timezone.now()
    ).execute()
    return given(WeighingRow)(weighing_facts(_weighings().get(pk=made.pk)))


@documented("list_weighings", gives=list[WeighingRow])
@api_view(["GET"])
def weighings(request: Request, brief_id: int) -> Response:
    """Every weighing of a brief, newest first."""
    get_object_or_404(Brief, pk=brief_id)
    found = _weighings().filter(brief_id=brief_id)
    return given(list[WeighingRow])([weighing_facts(w) for w in found])


@documented("get_weighing", gives=WeighingShape)
@api_view(["GET"])
def weighing(request: Request, weighing_id: int) -> Response:
    """One weighing with its clauses' weights, pairs and tests."""
    found = get_object_or_404(_weighings(), pk=weighing_id)
    return given(WeighingShape)(weighing_detail(found))


@documented("plan_strike", takes=StrikeRequest, gives=StrikePlanShape)
@api_view(["POST"])
def plan_test(request: Request, weighing_id: int) -> Response:
    """What testing these clauses, struck together, takes; nothing is stored."""
    found = get_object_or_404(_weighings(), pk=weighing_id)
    clauses = taken(StrikeRequest, request)["clauses"]
    made, pairs = plan_of_strike(found, clauses)
    return given(StrikePlanShape)(
        {
            "arms": len(made.arms),
            "n_cases": len(made.entries),
            "calls": made.estimate.calls,
            "cost": made.estimate.cost,
            "simulated_cost": made.simulated_cost,
            "in_store": made.in_store,
            "tokens": tokens_of(found.lines, clauses),
            "pairs": pairs,
        },
    )


@documented("start_strike", takes=StrikeRequest, gives=WeighingShape)
@api_view(["POST"])
def start_test(request: Request, weighing_id: int) -> Response:
    """Test these clauses, struck together, for no worse on all working cases."""
    found = get_object_or_404(_weighings(), pk=weighing_id)
    data = taken(StrikeRequest, request)
    StartStrike(found, data["clauses"], data["budget"], actor_of(request), timezone.now()).execute()
    return given(WeighingShape)(weighing_detail(found))


@documented("save_trimmed", gives=TrimmedShape)
@api_view(["POST"])
def save_trimmed(request: Request, strike_id: int) -> Response:
    """Save the prompt without the clauses of a complete test as a version of its own."""
    found = get_object_or_404(
        Strike.objects.select_related(
            "trial", "weighing__brief", "weighing__version", "weighing__trial__scorecard"
        ),
        pk=strike_id,
    )
    made = trimmed_version(found, actor_of(request), timezone.now()).execute()
    return given(TrimmedShape)({"number": made.number})


@documented("earned_lines", gives=list[EarnedLine])
@api_view(["GET"])
def earned(request: Request) -> Response:
    """Lines of any brief whose weight was shown to be above nothing, with their evidence."""
    return given(list[EarnedLine])(earned_lines())


@documented("fitting_lines", takes=FittingRequest, gives=list[EarnedLine])
@api_view(["POST"])
def fitting_lines(request: Request, brief_id: int) -> Response:
    """Those of other briefs that fit this one's text: of its kind of task, saying what it does not say yet."""
    brief = get_object_or_404(Brief, pk=brief_id)
    return given(list[EarnedLine])(earned_for(brief, taken(FittingRequest, request)["messages"]))
