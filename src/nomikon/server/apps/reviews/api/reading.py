"""Reading answers: one whole, marks, the queue, how readers agree."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.digits import whole_number
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.reviews.actions.mark_output import MarkOutput
from nomikon.server.apps.reviews.actions.take_back_mark import TakeBackMark
from nomikon.server.apps.reviews.agreeing import readers_of
from nomikon.server.apps.reviews.faults import fault_kinds
from nomikon.server.apps.reviews.measured import measures_against_marks
from nomikon.server.apps.reviews.one_output import mark_row, output_of
from nomikon.server.apps.reviews.queue import CHANGED, RANDOM, reading_queue
from nomikon.server.apps.reviews.reads import (
    MarkShape,
    MeasureAgainstMarks,
    OutputShape,
    ReadersShape,
    ReadingRow,
    ReadingShape,
)
from nomikon.server.apps.reviews.takes import MarkRequest, ReadingQuery
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.apps.trials.models import Output
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


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
    return whole_number(text)


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
