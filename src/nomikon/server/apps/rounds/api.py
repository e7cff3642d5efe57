"""Automatic rounds: plan, start, watch, stop."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.rounds.actions.start_rounds import StartRounds
from nomikon.server.apps.rounds.actions.stop_rounds import StopRounds
from nomikon.server.apps.rounds.course import course_of, rounds_row
from nomikon.server.apps.rounds.models import Rounds
from nomikon.server.apps.rounds.planning import RoundsPlan, plan_rounds
from nomikon.server.apps.rounds.reads import CourseShape, RoundsPlanShape, RoundsProblem, RoundsRow
from nomikon.server.apps.rounds.takes import RoundsRequest, StartRoundsRequest
from nomikon.server.apps.trials.looks import held_out_looks
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken

_ROUNDS = (
    "brief",
    "start",
    "best",
    "scorecard",
    "model__connection",
    "amender",
    "held_trial__scorecard",
    "dataset_version__dataset",
)


def _rounds() -> QuerySet[Rounds]:
    return Rounds.objects.select_related(*_ROUNDS)


def _plan(brief_id: int, data: RoundsRequest) -> RoundsPlan:
    chosen: dict[str, Any] = {k: v for k, v in data.items() if k != "budget"}
    return plan_rounds(get_object_or_404(Brief, pk=brief_id), **chosen)


@documented("plan_rounds", takes=RoundsRequest, gives=RoundsPlanShape)
@api_view(["POST"])
def plan(request: Request, brief_id: int) -> Response:
    """What automatic rounds take at most, and what stands in their way; nothing is stored."""
    made = _plan(brief_id, taken(RoundsRequest, request))
    return given(RoundsPlanShape)(
        {
            "calls": made.calls,
            "cost": made.cost,
            "simulated_cost": made.simulated_cost,
            "n_working": len(made.trial.entries),
            "n_held_out": made.n_held_out,
            "looks": held_out_looks(made.trial.dataset_version.dataset),
            "instruction": made.instruction,
            "unpriced": [m.name for m in made.unpriced],
            "problems": [copied(RoundsProblem, p) for p in made.trial.estimate.problems],
        },
    )


@documented("start_rounds", takes=StartRoundsRequest, gives=RoundsRow)
@api_view(["POST"])
def start(request: Request, brief_id: int) -> Response:
    """Start automatic rounds; the worker takes them up within a second."""
    data = taken(StartRoundsRequest, request)
    made = StartRounds(
        _plan(brief_id, data), data["budget"], actor_of(request), timezone.now()
    ).execute()
    return given(RoundsRow)(rounds_row(_rounds().get(pk=made.pk)))


@documented("rounds", gives=list[RoundsRow])
@api_view(["GET"])
def rounds(request: Request, brief_id: int) -> Response:
    """A brief's runs of rounds, newest first."""
    found = _rounds().filter(brief_id=brief_id).order_by("-number")
    return given(list[RoundsRow])([rounds_row(r) for r in found])


@documented("course", gives=CourseShape)
@api_view(["GET"])
def course(request: Request, rounds_id: int) -> Response:
    """One run of rounds whole: the course of the score, candidates, the held-out check."""
    return given(CourseShape)(
        copied(CourseShape, course_of(get_object_or_404(_rounds(), pk=rounds_id)))
    )


@documented("stop_rounds", gives=RoundsRow)
@api_view(["POST"])
def stop(request: Request, rounds_id: int) -> Response:
    """Ask running rounds to stop; what they have made stays."""
    get_object_or_404(Rounds, pk=rounds_id)
    StopRounds(rounds_id, actor_of(request), timezone.now()).execute()
    return given(RoundsRow)(rounds_row(_rounds().get(pk=rounds_id)))
