"""Which change did it: plan and start a search, read it, save the version without what hurt."""

from __future__ import annotations

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.stats.culprits import FEW_EXACT, groups_of
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.culprits.actions.start_search import StartSearch
from nomikon.server.apps.culprits.leaving import save_without
from nomikon.server.apps.culprits.models import CulpritSearch
from nomikon.server.apps.culprits.planning import SearchPlan, plan_search
from nomikon.server.apps.culprits.reading import search_detail, search_facts
from nomikon.server.apps.culprits.reads import (
    SavedWithoutShape,
    SearchedAmendment,
    SearchPlanShape,
    SearchRow,
    SearchShape,
)
from nomikon.server.apps.culprits.takes import LeaveOutRequest, SearchRequest
from nomikon.server.apps.rounds.reads import RoundsProblem
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


def _searches() -> QuerySet[CulpritSearch]:
    return CulpritSearch.objects.select_related(
        "brief", "trial__scorecard", "of", "older__version", "newer__version", "newer__model"
    )


def _plan(trial_id: int, data: SearchRequest) -> SearchPlan:
    return plan_search(trial_or_404(trial_id), data["older"], data["newer"], data["orders"])


@documented("plan_culprits", takes=SearchRequest, gives=SearchPlanShape)
@api_view(["POST"])
def plan(request: Request, trial_id: int) -> Response:
    """What finding out takes which amendment moved the cases between two arms; nothing is stored."""
    data = taken(SearchRequest, request)
    made = _plan(trial_id, data)
    e = made.trial.estimate
    newest = CulpritSearch.objects.filter(
        of_id=trial_id, older_id=data["older"], newer_id=data["newer"]
    ).first()
    requires = {a["id"]: tuple(a["requires"]) for a in made.amendments}
    return given(SearchPlanShape)(
        {
            "amendments": [copied(SearchedAmendment, a) for a in made.amendments],
            "texts": made.new_texts,
            "orders": len(made.orders),
            "exact": len(groups_of(requires)) <= FEW_EXACT,
            "n_better": made.n_better,
            "n_worse": made.n_worse,
            "n_cases": len(made.trial.entries),
            "calls": round(e.calls * made.new_texts / len(made.subsets)),
            "cost": made.new_cost,
            "simulated_cost": made.new_simulated,
            "in_store": made.trial.in_store,
            "problems": [copied(RoundsProblem, p) for p in e.problems],
            "found": newest.pk if newest else None,
        }
    )


@documented("start_culprits", takes=SearchRequest, gives=SearchRow)
@api_view(["POST"])
def start(request: Request, trial_id: int) -> Response:
    """Run the texts with some of the amendments; the worker takes them up within a second."""
    data = taken(SearchRequest, request)
    made = StartSearch(
        _plan(trial_id, data), data["budget"], actor_of(request), timezone.now()
    ).execute()
    return given(SearchRow)(search_facts(_searches().get(pk=made.pk)))


@documented("list_culprits", gives=list[SearchRow])
@api_view(["GET"])
def searches(request: Request, brief_id: int) -> Response:
    """Every search of a brief, newest first."""
    get_object_or_404(Brief, pk=brief_id)
    return given(list[SearchRow])([search_facts(s) for s in _searches().filter(brief_id=brief_id)])


@documented("get_culprits", gives=SearchShape)
@api_view(["GET"])
def search(request: Request, search_id: int) -> Response:
    """One search: the share of each amendment, and which case it moved."""
    return given(SearchShape)(search_detail(get_object_or_404(_searches(), pk=search_id)))


@documented("save_without", takes=LeaveOutRequest, gives=SavedWithoutShape)
@api_view(["POST"])
def leave_out(request: Request, search_id: int) -> Response:
    """Save the newer version with some amendments taken back; what to test it against comes back."""
    found = get_object_or_404(_searches(), pk=search_id)
    leave = taken(LeaveOutRequest, request)["leave"]
    made = save_without(found, leave, actor_of(request), timezone.now())
    both = [found.older.asked_version.number, found.newer.asked_version.number]
    return given(SavedWithoutShape)(
        {
            "number": made.number,
            "dataset_version": found.of.dataset_version_id,
            "versions": [*both, made.number],
        }
    )
