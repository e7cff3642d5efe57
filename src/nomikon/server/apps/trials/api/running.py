"""Running trials: plan, start, stop, pause, continue, extend, ask afresh."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.engine.store import PAUSE, STOP
from nomikon.server.apps.briefs.models import Brief, Scorecard
from nomikon.server.apps.briefs.reads import BriefMade
from nomikon.server.apps.trials.actions.ask_afresh import AskAfresh
from nomikon.server.apps.trials.actions.continue_trial import ContinueTrial
from nomikon.server.apps.trials.actions.extend_trial import ExtendTrial
from nomikon.server.apps.trials.actions.halt_trial import HaltTrial
from nomikon.server.apps.trials.actions.note_trial import NoteTrial
from nomikon.server.apps.trials.actions.read_by import ReadBy
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.again import choices_of
from nomikon.server.apps.trials.changes import changes_of, means_by
from nomikon.server.apps.trials.extending import Extension, plan_extension
from nomikon.server.apps.trials.facts import trial_facts
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.apps.trials.judged import count_unjudged, judging_plan
from nomikon.server.apps.trials.looks import held_out_looks
from nomikon.server.apps.trials.models import Output
from nomikon.server.apps.trials.planning import Plan, make_plan
from nomikon.server.apps.trials.reads import (
    ChoicesShape,
    ExtensionShape,
    PlanShape,
    ProblemRow,
    RescoredShape,
    RescorePlanShape,
    TrialRow,
)
from nomikon.server.apps.trials.rescoring import rescore
from nomikon.server.apps.trials.takes import (
    AfreshRequest,
    BudgetRequest,
    ExtendRequest,
    NoteTrialRequest,
    PlanRequest,
    RescoreRequest,
    TrialRequest,
)
from nomikon.server.apps.trials.timing import seconds_needed
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken

_PLANNED = (
    "versions",
    "models",
    "settings",
    "dataset_version",
    "split",
    "repeats",
    "seed",
    "fresh",
    "continuations",
    "user_model",
    "racing",
    "reference",
    "cases",
    "baselines",
)
_ADDED = ("versions", "models", "settings", "dataset_version", "repeats", "rest", "baselines")


def _only(data: Mapping[str, Any], names: Sequence[str]) -> dict[str, Any]:
    return {name: data[name] for name in names}


def _plan(brief_id: int, data: PlanRequest) -> Plan:
    brief = get_object_or_404(Brief, pk=brief_id)
    return make_plan(brief, **_only(data, _PLANNED))


def _row(trial_id: int) -> Response:
    found = trial_or_404(trial_id)
    done = Output.objects.filter(arm__trial=found).count()
    return given(TrialRow)({**trial_facts(found), "done": done})


@documented("plan_trial", takes=PlanRequest, gives=PlanShape)
@api_view(["POST"])
def plan(request: Request, brief_id: int) -> Response:
    """Calls, tokens and price of a trial, and what stands in its way; nothing is stored."""
    made = _plan(brief_id, taken(PlanRequest, request))
    e = made.estimate
    return given(PlanShape)(
        {
            "seconds": seconds_needed(made),
            "outputs": made.n_outputs,
            "calls": e.calls,
            "n_cases": len(made.entries),
            "tokens_in": e.tokens_in,
            "tokens_out": e.tokens_out,
            "cost": e.cost,
            "simulated_cost": made.simulated_cost,
            "unpriced": e.unpriced,
            "in_store": made.in_store,
            "reference": made.reference,
            "looks": held_out_looks(made.dataset_version.dataset),
            "beside_calls": made.beside.calls,
            "beside_cost": made.beside.cost,
            "beside_simulated": made.beside.simulated,
            "arms": [
                {
                    "label": a.label,
                    "model": a.model.name,
                    "calls": row.calls,
                    "tokens_in": row.tokens_in,
                    "tokens_out": row.tokens_out,
                    "cost": row.cost,
                    "error_in": row.error_in,
                    "error_out": row.error_out,
                }
                for a, row in zip(made.arms, e.arms, strict=True)
            ],
            "brought": [
                {"id": b.baseline.pk, "name": b.baseline.name, "answers": len(b.answers)}
                for b in made.brought
            ],
            "problems": [copied(ProblemRow, p) for p in e.problems],
        },
    )


@documented("trial_choices", gives=ChoicesShape)
@api_view(["GET"])
def choices(request: Request, trial_id: int) -> Response:
    """What a trial was planned from, so that another can be planned like it."""
    return given(ChoicesShape)(choices_of(trial_or_404(trial_id)))


@documented("start_trial", takes=TrialRequest, gives=BriefMade)
@api_view(["POST"])
def start(request: Request, brief_id: int) -> Response:
    """Start a trial; the worker takes it up within a second."""
    data = taken(TrialRequest, request)
    trial = StartTrial(
        _plan(brief_id, data),
        data["question"],
        actor_of(request),
        timezone.now(),
        data["budget"],
        data["unscored"],
    ).execute()
    return given(BriefMade)({"id": trial.pk})


@documented("cancel_trial", gives=TrialRow)
@api_view(["POST"])
def cancel(request: Request, trial_id: int) -> Response:
    """Ask a trial to stop at once; what has come in stays."""
    trial_or_404(trial_id)
    HaltTrial(trial_id, STOP, actor_of(request), timezone.now()).execute()
    return _row(trial_id)


@documented("pause_trial", gives=TrialRow)
@api_view(["POST"])
def pause(request: Request, trial_id: int) -> Response:
    """Ask a trial to pause: no new calls, and those under way come in."""
    trial_or_404(trial_id)
    HaltTrial(trial_id, PAUSE, actor_of(request), timezone.now()).execute()
    return _row(trial_id)


@documented("continue_trial", takes=BudgetRequest, gives=TrialRow)
@api_view(["POST"])
def go_on(request: Request, trial_id: int) -> Response:
    """Run what an ended trial is missing: outputs never had, and failed calls."""
    trial_or_404(trial_id)
    data = taken(BudgetRequest, request)
    ContinueTrial(trial_id, actor_of(request), timezone.now(), data["budget"]).execute()
    return _row(trial_id)


@documented("ask_afresh", takes=AfreshRequest, gives=TrialRow)
@api_view(["POST"])
def afresh(request: Request, trial_id: int) -> Response:
    """Ask one output, an arm or all of a trial again; the former answers are kept."""
    trial_or_404(trial_id)
    data = taken(AfreshRequest, request)
    AskAfresh(trial_id, actor_of(request), timezone.now(), **data).execute()
    return _row(trial_id)


@documented("note_trial", takes=NoteTrialRequest, gives=TrialRow)
@api_view(["POST"])
def note(request: Request, trial_id: int) -> Response:
    """Rename a trial, write beside it, put it out of the way or bring it back."""
    data = taken(NoteTrialRequest, request)
    NoteTrial(trial_or_404(trial_id), actor_of(request), timezone.now(), **data).execute()
    return _row(trial_id)


def _extension(trial_id: int, data: ExtendRequest) -> Extension:
    return plan_extension(trial_or_404(trial_id), **_only(data, _ADDED))


@documented("plan_extension", takes=ExtendRequest, gives=ExtensionShape)
@api_view(["POST"])
def extension(request: Request, trial_id: int) -> Response:
    """What an extension adds and costs; nothing is stored."""
    made = _extension(trial_id, taken(ExtendRequest, request))
    return given(ExtensionShape)(
        {
            "added": made.added,
            "outputs": made.n_outputs,
            "arms": [
                *(a.label for a in made.arms),
                *(b.baseline.name for b in made.brought.values() if b.answers),
            ],
            "n_cases": len(made.entries),
            "repeats": made.repeats,
            "cost": made.cost,
            "simulated_cost": made.simulated_cost,
            "in_store": made.in_store,
            "problems": [copied(ProblemRow, p) for e in made.estimates for p in e.problems],
        },
    )


@documented("extend_trial", takes=ExtendRequest, gives=TrialRow)
@api_view(["POST"])
def extend(request: Request, trial_id: int) -> Response:
    """Add cases, arms or repeats to an ended trial; what it has is not asked again."""
    data = taken(ExtendRequest, request)
    made = _extension(trial_id, data)
    ExtendTrial(made, actor_of(request), timezone.now(), data["budget"]).execute()
    return _row(trial_id)


@documented("plan_rescore", takes=RescoreRequest, gives=RescorePlanShape)
@api_view(["POST"])
def plan_rescore(request: Request, trial_id: int) -> Response:
    """What reading a trial by another scorecard will cost: nothing, but for its judges' calls."""
    trial = trial_or_404(trial_id)
    number = taken(RescoreRequest, request)["scorecard"]
    card = get_object_or_404(Scorecard, brief=trial.brief, number=number)
    ReadBy.check(trial, card)
    return given(RescorePlanShape)(judging_plan(trial, card))


@documented("rescore", takes=RescoreRequest, gives=RescoredShape)
@api_view(["POST"])
def rescored(request: Request, trial_id: int) -> Response:
    """Score a trial's stored answers by another scorecard and read it by that one from now on."""
    trial = trial_or_404(trial_id)
    data = taken(RescoreRequest, request)
    card = get_object_or_404(Scorecard, brief=trial.brief, number=data["scorecard"])
    ReadBy.check(trial, card)
    before, former = means_by(trial), trial.scorecard.number
    stored = rescore(trial, card)
    read = ReadBy(trial, card, stored, actor_of(request), timezone.now(), data["budget"]).execute()
    return given(RescoredShape)(
        {
            "scorecard": card.number,
            "former": former,
            "outputs": stored,
            "to_judge": count_unjudged(read),
            "arms": changes_of(read, before),
        },
    )
