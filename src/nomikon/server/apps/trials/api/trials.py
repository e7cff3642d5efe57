"""Trials that are there: watch, read, mark, compare, adopt."""

from __future__ import annotations

from django.db.models import Max
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.results import all_at_once, credible, scored_as_zero
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.ledger.models import Event
from nomikon.server.apps.trials import board
from nomikon.server.apps.trials.actions.settle_outcome import SettleOutcome
from nomikon.server.apps.trials.beside import beside_of
from nomikon.server.apps.trials.comparing import comparison_of
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.apps.trials.labels import labels_of
from nomikon.server.apps.trials.listing import trials_of
from nomikon.server.apps.trials.merits import merits_of
from nomikon.server.apps.trials.models import OPEN_STATES, Arm, Output
from nomikon.server.apps.trials.reads import (
    BesideShape,
    CellsShape,
    CompareFigures,
    ComparisonShape,
    LabelsShape,
    ListedTrial,
    MeritsShape,
    SettledOutcome,
    SpreadShape,
    TogetherShape,
    TrialSummary,
)
from nomikon.server.apps.trials.results import results_of
from nomikon.server.apps.trials.spread import spread_of
from nomikon.server.apps.trials.takes import LabelsQuery, SettleOutcomeRequest
from nomikon.server.link import troubles
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


@documented("trials", gives=list[ListedTrial])
@api_view(["GET"])
def trials(request: Request, brief_id: int) -> Response:
    """A brief's trials, newest first."""
    found = trials_of(get_object_or_404(Brief, pk=brief_id))
    return given(list[ListedTrial])([copied(ListedTrial, row) for row in found])


@documented("trial", gives=TrialSummary)
@api_view(["GET"])
def trial(request: Request, trial_id: int) -> Response:
    """A trial with its arms' figures."""
    found = trial_or_404(trial_id)
    trouble = ""
    if found.state in OPEN_STATES:
        held_up = troubles()
        trouble = held_up.get(f"trial:{trial_id}") or held_up.get("worker", "")
    return given(TrialSummary)(copied(TrialSummary, board.summary_of(found), trouble=trouble))


@documented("cells", gives=CellsShape)
@api_view(["GET"])
def cells(request: Request, trial_id: int) -> Response:
    """The matrix, and the newest event it already contains: a page goes on from there."""
    found = trial_or_404(trial_id)
    newest = Event.objects.aggregate(last=Max("id"))["last"] or 0
    return given(CellsShape)(copied(CellsShape, board.cells_of(found), event=newest))


@documented("settle_outcome", takes=SettleOutcomeRequest, gives=SettledOutcome)
@api_view(["POST"])
def settle(request: Request, output_id: int) -> Response:
    """Decide what an answer is; the decision holds for every answer with the same text."""
    found = get_object_or_404(
        Output.objects.select_related("arm__trial__brief", "revision__case"), pk=output_id
    )
    wanted = taken(SettleOutcomeRequest, request)["outcome"]
    answers = SettleOutcome(found, wanted, actor_of(request), timezone.now()).execute()
    return given(SettledOutcome)({"answers": answers})


@documented("compare_arms", gives=ComparisonShape)
@api_view(["GET"])
def compare(request: Request, trial_id: int, arm_id: int, against_id: int) -> Response:
    """Two arms of a trial: the paired difference, and the cases won and lost."""
    found = trial_or_404(trial_id)
    arms = Arm.objects.select_related("version", "model__connection")
    a = get_object_or_404(arms, pk=arm_id, trial=found)
    b = get_object_or_404(arms, pk=against_id, trial=found)
    told = comparison_of(found, a, b)
    table = results_of(found)
    zero = scored_as_zero(table, str(a.pk), str(b.pk))
    return given(ComparisonShape)(
        copied(
            ComparisonShape,
            told,
            as_zero=copied(CompareFigures, zero, a=a.pk, b=b.pk) if zero else None,
        )
    )


@documented("together", gives=TogetherShape)
@api_view(["GET"])
def together(request: Request, trial_id: int, against_id: int) -> Response:
    """All arms taken at once: which of them no other beats, and intervals that hold together."""
    found = trial_or_404(trial_id)
    against = get_object_or_404(Arm, pk=against_id, trial=found)
    table = results_of(found)
    widths = all_at_once(table, str(against.pk))
    return given(TogetherShape)(
        {
            "credible": [int(x) for x in credible(table)],
            "widths": [{"arm": int(a), "half": half} for a, half in widths.items()],
        }
    )


@documented("trials_beside", gives=BesideShape)
@api_view(["GET"])
def beside(request: Request, trial_id: int, other_id: int) -> Response:
    """The arms that two trials both have: their scores here, there, and the difference."""
    return given(BesideShape)(beside_of(trial_or_404(trial_id), trial_or_404(other_id)))


@documented("merits", gives=MeritsShape)
@api_view(["GET"])
def merits(request: Request, trial_id: int) -> Response:
    """What a good answer of each arm costs and how long answers take, with intervals."""
    return given(MeritsShape)(merits_of(trial_or_404(trial_id)))


@documented("spread", gives=SpreadShape)
@api_view(["GET"])
def spread(request: Request, trial_id: int, arm_id: int, against_id: int) -> Response:
    """What the spread of scores is due to among the arms tried, and two arms on parts of the cases."""
    found = trial_or_404(trial_id)
    a = get_object_or_404(Arm, pk=arm_id, trial=found)
    b = get_object_or_404(Arm, pk=against_id, trial=found)
    return given(SpreadShape)(spread_of(found, a, b))


@documented("arm_labels", gives=LabelsShape, asks=LabelsQuery)
@api_view(["GET"])
def labels(request: Request, trial_id: int, arm_id: int) -> Response:
    """An arm's answers as labels: confusion matrix, precision, recall and F1; `field` chooses."""
    arm = get_object_or_404(Arm, pk=arm_id, trial_id=trial_id)
    return given(LabelsShape)(labels_of(arm, request.query_params.get("field")))
