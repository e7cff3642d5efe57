"""Trials: plan, start, watch, stop, read, mark, compare, adopt."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, Max
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.api import shapes
from nomikon.server.api.common import documented, given, taken
from nomikon.server.briefs.models import Brief
from nomikon.server.ledger.models import Event
from nomikon.server.people import actor_of
from nomikon.server.reviews.actions.mark_output import MarkOutput
from nomikon.server.reviews.queue import reading_queue
from nomikon.server.trials import board
from nomikon.server.trials.actions.cancel_trial import CancelTrial
from nomikon.server.trials.actions.continue_trial import ContinueTrial
from nomikon.server.trials.actions.start_trial import StartTrial
from nomikon.server.trials.models import Arm, Output, Trial
from nomikon.server.trials.planning import Plan, make_plan
from nomikon.server.verdicts.actions.adopt_arm import AdoptArm
from nomikon.server.verdicts.models import Verdict

_PLANNED = (
    "versions",
    "models",
    "settings",
    "dataset_version",
    "split",
    "repeats",
    "seed",
    "fresh",
)


def _trial(trial_id: int) -> Trial:
    return get_object_or_404(
        Trial.objects.select_related("scorecard", "dataset_version__dataset", "brief"), pk=trial_id
    )


def _plan(brief_id: int, data: dict[str, Any]) -> Plan:
    brief = get_object_or_404(Brief, pk=brief_id)
    return make_plan(brief, **{k: data[k] for k in _PLANNED})


@documented("plan_trial", takes=shapes.PlanRequest, gives=shapes.PlanShape)
@api_view(["POST"])
def plan(request: Request, brief_id: int) -> Response:
    """Calls, tokens and price of a trial, and what stands in its way; nothing is stored."""
    made = _plan(brief_id, taken(shapes.PlanRequest, request))
    e = made.estimate
    return given(
        shapes.PlanShape,
        {
            "outputs": e.outputs,
            "calls": e.calls,
            "n_cases": len(made.entries),
            "tokens_in": e.tokens_in,
            "tokens_out": e.tokens_out,
            "cost": e.cost,
            "unpriced": e.unpriced,
            "in_store": made.in_store,
            "arms": [
                {**row.__dict__, "label": a.label} for a, row in zip(made.arms, e.arms, strict=True)
            ],
            "problems": [p.__dict__ for p in e.problems],
        },
    )


@documented("trials", gives=shapes.TrialRow(many=True))
@api_view(["GET"])
def trials(request: Request, brief_id: int) -> Response:
    """A brief's trials, newest first."""
    found = (
        Trial.objects.filter(brief_id=brief_id)
        .select_related("scorecard", "dataset_version__dataset")
        .order_by("-number")
    )
    done = dict(
        Output.objects.filter(arm__trial__brief_id=brief_id)
        .values_list("arm__trial")
        .annotate(n=Count("id"))
        .values_list("arm__trial", "n")
    )
    return given(
        shapes.TrialRow,
        [{**board.trial_facts(t), "done": done.get(t.pk, 0)} for t in found],
        many=True,
    )


@documented("start_trial", takes=shapes.TrialRequest, gives=shapes.BriefMade)
@api_view(["POST"])
def start(request: Request, brief_id: int) -> Response:
    """Start a trial; the worker takes it up within a second."""
    data = taken(shapes.TrialRequest, request)
    trial = StartTrial(
        _plan(brief_id, data), data["question"], actor_of(request), timezone.now(), data["budget"]
    ).execute()
    return given(shapes.BriefMade, {"id": trial.pk})


@documented("trial", gives=shapes.TrialSummary)
@api_view(["GET"])
def trial(request: Request, trial_id: int) -> Response:
    """A trial with its arms' figures."""
    return given(shapes.TrialSummary, board.summary_of(_trial(trial_id)))


@documented("cells", gives=shapes.CellsShape)
@api_view(["GET"])
def cells(request: Request, trial_id: int) -> Response:
    """The matrix, and the newest event it already contains: a page goes on from there."""
    found = _trial(trial_id)
    newest = Event.objects.aggregate(last=Max("id"))["last"] or 0
    return given(shapes.CellsShape, {**board.cells_of(found), "event": newest})


def _row(trial_id: int) -> Response:
    found = _trial(trial_id)
    done = Output.objects.filter(arm__trial=found).count()
    return given(shapes.TrialRow, {**board.trial_facts(found), "done": done})


@documented("cancel_trial", gives=shapes.TrialRow)
@api_view(["POST"])
def cancel(request: Request, trial_id: int) -> Response:
    """Ask a trial to stop; what has come in stays."""
    _trial(trial_id)
    CancelTrial(trial_id, actor_of(request), timezone.now()).execute()
    return _row(trial_id)


@documented("continue_trial", takes=shapes.BudgetRequest, gives=shapes.TrialRow)
@api_view(["POST"])
def go_on(request: Request, trial_id: int) -> Response:
    """Run what an ended trial is missing: outputs never had, and failed calls."""
    _trial(trial_id)
    data = taken(shapes.BudgetRequest, request)
    ContinueTrial(trial_id, actor_of(request), timezone.now(), data["budget"]).execute()
    return _row(trial_id)


@documented("output", gives=shapes.OutputShape)
@api_view(["GET"])
def output(request: Request, output_id: int) -> Response:
    """One output whole."""
    found = get_object_or_404(
        Output.objects.select_related(
            "arm__trial__scorecard", "arm__version", "arm__model__connection", "revision__case"
        ),
        pk=output_id,
    )
    return given(shapes.OutputShape, board.output_of(found))


@documented("mark_output", takes=shapes.MarkRequest, gives=shapes.MarkShape)
@api_view(["POST"])
def mark(request: Request, output_id: int) -> Response:
    """Mark an output good, usable or bad."""
    get_object_or_404(Output, pk=output_id)
    data = taken(shapes.MarkRequest, request)
    saved = MarkOutput(
        output_id, data["judgement"], data["comment"], actor_of(request), timezone.now()
    ).execute()
    return given(shapes.MarkShape, saved)


@documented("reading", gives=shapes.ReadingShape)
@api_view(["GET"])
def reading(request: Request, brief_id: int) -> Response:
    """Outputs of the newest ended trial in a seeded random order, with this reader's marks."""
    brief = get_object_or_404(Brief, pk=brief_id)
    return given(shapes.ReadingShape, reading_queue(brief, reader=actor_of(request)))


@documented("compare_arms", gives=shapes.ComparisonShape)
@api_view(["GET"])
def compare(request: Request, trial_id: int, arm_id: int, against_id: int) -> Response:
    """Two arms of a trial: the paired difference, and the cases won and lost."""
    found = _trial(trial_id)
    arms = Arm.objects.select_related("version", "model__connection")
    a = get_object_or_404(arms, pk=arm_id, trial=found)
    b = get_object_or_404(arms, pk=against_id, trial=found)
    return given(shapes.ComparisonShape, board.comparison_of(found, a, b))


def _verdict_row(v: Verdict) -> dict[str, Any]:
    return {
        "id": v.pk,
        "arm": board.arm_facts(v.arm),
        "trial": v.arm.trial_id,
        "trial_number": v.arm.trial.number,
        "reason": v.reason,
        "evidence": v.evidence,
        "decided_at": v.decided_at,
        "decided_by": v.decided_by,
    }


@documented("verdicts", gives=shapes.VerdictShape(many=True))
@api_view(["GET"])
def verdicts(request: Request, brief_id: int) -> Response:
    """A brief's verdicts, newest first."""
    found = (
        Verdict.objects.filter(brief_id=brief_id)
        .select_related("arm__trial", "arm__version", "arm__model__connection")
        .order_by("-id")
    )
    return given(shapes.VerdictShape, [_verdict_row(v) for v in found], many=True)


@documented("adopt_arm", takes=shapes.AdoptRequest, gives=shapes.VerdictShape)
@api_view(["POST"])
def adopt(request: Request, brief_id: int) -> Response:
    """Adopt an arm, with a reason; the evidence is recorded as it is now."""
    data = taken(shapes.AdoptRequest, request)
    get_object_or_404(Arm, pk=data["arm"], trial__brief_id=brief_id)
    saved = AdoptArm(
        data["arm"], data["against"], data["reason"], actor_of(request), timezone.now()
    ).execute()
    return given(shapes.VerdictShape, _verdict_row(saved))
