"""Trials that are there: watch, read, mark, compare, adopt."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, Max
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.results import all_at_once, credible, scored_as_zero
from nomikon.server.api.common import documented, given, taken
from nomikon.server.briefs.models import Brief
from nomikon.server.ledger.models import Event
from nomikon.server.people import actor_of
from nomikon.server.reviews.actions.mark_output import MarkOutput
from nomikon.server.reviews.actions.take_back_mark import TakeBackMark
from nomikon.server.reviews.agreeing import readers_of
from nomikon.server.reviews.faults import fault_kinds
from nomikon.server.reviews.measured import measures_against_marks
from nomikon.server.reviews.one_output import mark_row, output_of
from nomikon.server.reviews.queue import CHANGED, RANDOM, reading_queue
from nomikon.server.reviews.reads import (
    MarkShape,
    MeasureAgainstMarks,
    OutputShape,
    ReadersShape,
    ReadingRow,
    ReadingShape,
)
from nomikon.server.reviews.takes import MarkRequest, ReadingQuery
from nomikon.server.trials import board
from nomikon.server.trials.actions.settle_outcome import SettleOutcome
from nomikon.server.trials.actions.start_trial import StartTrial
from nomikon.server.trials.comparing import comparison_of
from nomikon.server.trials.facts import trial_facts
from nomikon.server.trials.labels import labels_of
from nomikon.server.trials.merits import merits_of
from nomikon.server.trials.models import OPEN_STATES, Arm, Output, Trial
from nomikon.server.trials.reads import (
    CellsShape,
    CompareFigures,
    ComparisonShape,
    LabelsShape,
    MeritsShape,
    SettledOutcome,
    SpreadShape,
    TrialRow,
    TrialSummary,
)
from nomikon.server.trials.results import results_of
from nomikon.server.trials.reworking import bring_figures_up
from nomikon.server.trials.spread import spread_of
from nomikon.server.trials.takes import LabelsQuery, SettleOutcomeRequest
from nomikon.server.typed import copied
from nomikon.server.verdicts.checking import check_of, plan_check
from nomikon.server.verdicts.reads import CheckShape
from nomikon.server.worker_link import troubles


def trial_or_404(trial_id: int) -> Trial:
    """A trial with what every view of it shows, its stored figures by the rules of today."""
    found = get_object_or_404(
        Trial.objects.select_related("scorecard", "dataset_version__dataset", "brief"), pk=trial_id
    )
    bring_figures_up(found, timezone.now())
    return found


@documented("trials", gives=list[TrialRow])
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
    return given(list[TrialRow])([{**trial_facts(t), "done": done.get(t.pk, 0)} for t in found])


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


@documented("output", gives=OutputShape)
@api_view(["GET"])
def output(request: Request, output_id: int) -> Response:
    """One output whole."""
    found = get_object_or_404(
        Output.every.select_related(
            "arm__trial__scorecard", "arm__version", "arm__model__connection", "revision__case"
        ),
        pk=output_id,
    )
    return given(OutputShape)(output_of(found))


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


@documented("mark_output", takes=MarkRequest, gives=MarkShape)
@api_view(["POST"])
def mark(request: Request, output_id: int) -> Response:
    """Mark an output good, usable or bad."""
    get_object_or_404(Output, pk=output_id)
    data = taken(MarkRequest, request)
    saved = MarkOutput(
        output_id,
        data["judgement"],
        data["comment"],
        actor_of(request),
        timezone.now(),
        spans=[dict(s) for s in data["spans"]],
        faults=data["faults"],
        better=data["better"],
        drawn=data["drawn"],
        former=data["former"],
        since=data["since"],
    ).execute()
    return given(MarkShape)(mark_row(saved))


@documented("take_back_mark", gives=ReadingRow)
@api_view(["POST"])
def take_back(request: Request, output_id: int) -> Response:
    """Take one's own mark back; it stays in history."""
    get_object_or_404(Output, pk=output_id)
    former = TakeBackMark(output_id, actor_of(request), timezone.now()).execute()
    judgement = former.judgement if former else None
    return given(ReadingRow)({"output": output_id, "judgement": judgement})


@documented("reading", gives=ReadingShape, asks=ReadingQuery)
@api_view(["GET"])
def reading(request: Request, brief_id: int) -> Response:
    """Outputs to read with this reader's marks; `trial`, `arm`, `tag` and `order` choose; by chance unless marked answers have changed."""
    brief = get_object_or_404(Brief, pk=brief_id)
    kinds = [{"name": name, "n": n} for name, n in fault_kinds(brief)]
    query = request.query_params
    chosen: dict[str, Any] = {
        "reader": actor_of(request),
        "trial": _number(query.get("trial")),
        "arm": _number(query.get("arm")),
        "tag": query.get("tag", ""),
    }
    queue = reading_queue(brief, order=query.get("order") or RANDOM, **chosen)
    if not query.get("order") and queue["changed"]:
        # Answers that were complained of and have changed since come first.
        queue = reading_queue(brief, order=CHANGED, **chosen)
    return given(ReadingShape)(copied(ReadingShape, queue, fault_kinds=kinds))


def _number(text: str | None) -> int | None:
    return int(text) if text and text.isdigit() and len(text) < 12 else None


@documented("trial_readers", gives=ReadersShape)
@api_view(["GET"])
def readers(request: Request, trial_id: int) -> Response:
    """How far the readers of a trial agree, and what they have to settle."""
    return given(ReadersShape)(readers_of(trial_or_404(trial_id)))


@documented("measures_against_marks", gives=list[MeasureAgainstMarks])
@api_view(["GET"])
def measured(request: Request, trial_id: int) -> Response:
    """Whether a trial's measures say what readers say, and where they part."""
    found = measures_against_marks(trial_or_404(trial_id))
    return given(list[MeasureAgainstMarks])([copied(MeasureAgainstMarks, m) for m in found])


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
    together = all_at_once(table, str(b.pk))
    zero = scored_as_zero(table, str(a.pk), str(b.pk))
    for member in told["family"]:
        member["together"] = together.get(str(member["a"]))
    return given(ComparisonShape)(
        copied(
            ComparisonShape,
            told,
            credible=[int(x) for x in credible(table)],
            as_zero=copied(CompareFigures, zero, a=a.pk, b=b.pk) if zero else None,
        )
    )


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


def _two(trial: Trial, arm_id: int, against_id: int) -> tuple[Arm, Arm]:
    arms = Arm.objects.select_related("version", "model__connection")
    a = get_object_or_404(arms, pk=arm_id, trial=trial)
    return a, get_object_or_404(arms, pk=against_id, trial=trial)


@documented("held_out_check", gives=CheckShape)
@api_view(["GET"])
def check(request: Request, trial_id: int, arm_id: int, against_id: int) -> Response:
    """The newest held-out check of two arms, and how often held-out cases were looked at."""
    found = trial_or_404(trial_id)
    return given(CheckShape)(copied(CheckShape, check_of(found, *_two(found, arm_id, against_id))))


@documented("start_check", gives=CheckShape)
@api_view(["POST"])
def start_check(request: Request, trial_id: int, arm_id: int, against_id: int) -> Response:
    """Run two arms once on the held-out cases: one more look, written into the ledger."""
    found = trial_or_404(trial_id)
    a, b = _two(found, arm_id, against_id)
    question = f"held-out check of trial {found.number}"
    StartTrial(plan_check(found, a, b), question, actor_of(request), timezone.now()).execute()
    return given(CheckShape)(copied(CheckShape, check_of(found, a, b)))


@documented("arm_labels", gives=LabelsShape, asks=LabelsQuery)
@api_view(["GET"])
def labels(request: Request, trial_id: int, arm_id: int) -> Response:
    """An arm's answers as labels: confusion matrix, precision, recall and F1; `field` chooses."""
    arm = get_object_or_404(Arm, pk=arm_id, trial_id=trial_id)
    return given(LabelsShape)(labels_of(arm, request.query_params.get("field")))
