"""Twins of cases: look at what can be made, make them, ask them, and read how the pairs behave."""

from __future__ import annotations

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.trials.planning import Plan
from nomikon.server.apps.trials.reads import ProblemRow
from nomikon.server.apps.trials.timing import seconds_needed
from nomikon.server.apps.twins.actions.leave_twins import LeaveTwins
from nomikon.server.apps.twins.actions.make_twins import MakeTwins
from nomikon.server.apps.twins.choosing import Making, make
from nomikon.server.apps.twins.further import further
from nomikon.server.apps.twins.models import TwinSet
from nomikon.server.apps.twins.planning import plan_twins
from nomikon.server.apps.twins.reading import (
    PAGE,
    held_facts,
    look_of,
    pair_rows,
    set_facts,
    trials_of,
    twin_rows,
)
from nomikon.server.apps.twins.reads import (
    AskedTwins,
    AskPlanShape,
    HeldPairs,
    HeldShape,
    TwinPage,
    TwinSetShape,
    TwinsLook,
)
from nomikon.server.apps.twins.takes import (
    AskTwinsRequest,
    FurtherRequest,
    HeldQuery,
    KeepTwinsRequest,
    LeaveTwinsRequest,
    MakeTwinsRequest,
    PairsQuery,
    TwinsQuery,
)
from nomikon.server.apps.twins.writing import written
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import asked, documented, given, page_of, taken


def _sets() -> QuerySet[TwinSet]:
    return TwinSet.objects.select_related("brief", "of__dataset", "dataset")


def _set_and_trial(set_id: int, trial_id: int) -> tuple[TwinSet, Trial]:
    found = get_object_or_404(_sets(), pk=set_id)
    return found, get_object_or_404(trials_of(found).select_related("scorecard"), pk=trial_id)


def _making(brief: Brief, data: MakeTwinsRequest) -> Making:
    return make(
        brief,
        dataset=data["dataset"],
        n_cases=data["n_cases"],
        kinds=data["kinds"],
        each=data["each"],
        seed=data["seed"],
        values={own["name"]: own["values"] for own in data["lists"]},
        synonyms=data["synonyms"],
    )


@documented("look_at_twins", takes=MakeTwinsRequest, gives=TwinsLook)
@api_view(["POST"])
def look(request: Request, brief_id: int) -> Response:
    """What twins would be made, kind by kind with an example each; nothing is stored."""
    brief = get_object_or_404(Brief, pk=brief_id)
    return given(TwinsLook)(look_of(_making(brief, taken(MakeTwinsRequest, request))))


@documented("list_twins", gives=list[TwinSetShape], methods=["GET"])
@documented("make_twins", methods=["POST"], takes=MakeTwinsRequest, gives=TwinSetShape)
@api_view(["GET", "POST"])
def sets(request: Request, brief_id: int) -> Response:
    """The sets of twins of a brief, newest first; POST makes one, which asks nobody."""
    brief = get_object_or_404(Brief, pk=brief_id)
    if request.method == "GET":
        return given(list[TwinSetShape])([set_facts(s) for s in _sets().filter(brief=brief)])
    making = _making(brief, taken(MakeTwinsRequest, request))
    made = MakeTwins(brief, making, actor_of(request), timezone.now()).execute()
    return given(TwinSetShape)(set_facts(_sets().get(pk=made.pk)))


@documented("keep_twins", takes=KeepTwinsRequest, gives=TwinSetShape)
@api_view(["POST"])
def keep(request: Request, brief_id: int) -> Response:
    """Keep twins that a model wrote and a person took, as a set."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(KeepTwinsRequest, request)
    dataset = get_object_or_404(brief.datasets, pk=data["dataset"])
    making = written(dataset, data["twins"], data["model"])
    made = MakeTwins(brief, making, actor_of(request), timezone.now()).execute()
    return given(TwinSetShape)(set_facts(_sets().get(pk=made.pk)))


@documented("get_twins", gives=TwinPage, asks=TwinsQuery)
@api_view(["GET"])
def twins(request: Request, set_id: int) -> Response:
    """The twins of a set, case by case, beside what they were made from."""
    found = get_object_or_404(_sets(), pk=set_id)
    kind = asked(TwinsQuery, request)["kind"]
    offset, limit = page_of(request, limit=PAGE)
    rows = found.twins.order_by("pk")
    if kind:
        rows = rows.filter(kind=kind)
    return given(TwinPage)(
        {"n": rows.count(), "rows": twin_rows(list(rows[offset : offset + limit]))}
    )


@documented("leave_twins", takes=LeaveTwinsRequest, gives=TwinSetShape)
@api_view(["POST"])
def leave(request: Request, set_id: int) -> Response:
    """Leave some twins, or take them again: what is left counts for nothing."""
    found = get_object_or_404(_sets(), pk=set_id)
    data = taken(LeaveTwinsRequest, request)
    LeaveTwins(found, data["twins"], data["left"], actor_of(request), timezone.now()).execute()
    return given(TwinSetShape)(set_facts(found))


@documented("search_further", takes=FurtherRequest, gives=TwinSetShape)
@api_view(["POST"])
def go_further(request: Request, set_id: int, trial_id: int) -> Response:
    """More twins where an arm broke, as a set of their own; nobody is asked."""
    found, trial = _set_and_trial(set_id, trial_id)
    data = taken(FurtherRequest, request)
    making = further(found, trial, data["arm"], data["most"])
    made = MakeTwins(found.brief, making, actor_of(request), timezone.now()).execute()
    return given(TwinSetShape)(set_facts(_sets().get(pk=made.pk)))


def _plan(set_id: int, data: AskTwinsRequest) -> tuple[TwinSet, Plan]:
    found = get_object_or_404(_sets(), pk=set_id)
    return found, plan_twins(found, data["versions"], data["models"], data["repeats"])


@documented("plan_twins", takes=AskTwinsRequest, gives=AskPlanShape)
@api_view(["POST"])
def plan(request: Request, set_id: int) -> Response:
    """What asking the twins and their cases takes; nothing is stored."""
    found, made = _plan(set_id, taken(AskTwinsRequest, request))
    e = made.estimate
    n_twins = found.twins.filter(left=False).count()
    return given(AskPlanShape)(
        {
            "calls": e.calls,
            "n_cases": len(made.entries) - n_twins,
            "n_twins": n_twins,
            "n_arms": len(made.arms),
            "cost": e.cost,
            "simulated_cost": made.simulated_cost,
            "seconds": seconds_needed(made),
            "in_store": made.in_store,
            "problems": [copied(ProblemRow, p) for p in e.problems],
        }
    )


@documented("ask_twins", takes=AskTwinsRequest, gives=AskedTwins)
@api_view(["POST"])
def ask(request: Request, set_id: int) -> Response:
    """Ask them: a trial like any other, on the twins and their cases."""
    data = taken(AskTwinsRequest, request)
    _, made = _plan(set_id, data)
    question = "does it hold when the input is put differently"
    trial = StartTrial(made, question, actor_of(request), timezone.now(), data["budget"]).execute()
    return given(AskedTwins)({"trial": trial.pk})


@documented("get_held", gives=HeldShape, asks=HeldQuery)
@api_view(["GET"])
def held(request: Request, set_id: int, trial_id: int) -> Response:
    """How the pairs of a trial behave: by arm, by kind, and for one arm case by case."""
    found, trial = _set_and_trial(set_id, trial_id)
    return given(HeldShape)(held_facts(found, trial, asked(HeldQuery, request)["arm"]))


@documented("get_pairs", gives=HeldPairs, asks=PairsQuery)
@api_view(["GET"])
def pairs(request: Request, set_id: int, trial_id: int) -> Response:
    """Pairs of case and twin with both answers; those asked for, a page of them."""
    found, trial = _set_and_trial(set_id, trial_id)
    wanted = asked(PairsQuery, request)
    offset, _ = page_of(request)
    n, rows = pair_rows(
        found,
        trial,
        arm=wanted["arm"] or 0,
        kind=wanted["kind"],
        case=wanted["case"] or 0,
        only=wanted["only"],
        first=offset,
    )
    return given(HeldPairs)({"n": n, "rows": rows})
