"""Answers from elsewhere: made, written, brought in by file, listed beside their cases."""

from __future__ import annotations

from typing import Any

from asgiref.sync import sync_to_async
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.cases import OpenTable
from nomikon.engine.reading import TableReader
from nomikon.server.apps.baselines.actions.change_baseline import ChangeBaseline
from nomikon.server.apps.baselines.actions.import_answers import ImportAnswers
from nomikon.server.apps.baselines.actions.make_baseline import MakeBaseline
from nomikon.server.apps.baselines.actions.write_answer import WriteAnswer
from nomikon.server.apps.baselines.facts import baseline_facts
from nomikon.server.apps.baselines.guessing import guess_key, guess_uses
from nomikon.server.apps.baselines.looking import look_of
from nomikon.server.apps.baselines.models import Baseline
from nomikon.server.apps.baselines.reads import BaselineRow, BaselineShape, BaselineSheet
from nomikon.server.apps.baselines.sheet import rows_of, sheet_of
from nomikon.server.apps.baselines.takes import (
    AnswerRequest,
    BaselineChangeRequest,
    BaselineRequest,
    SheetQuery,
)
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.api.importing import (
    held,
    key_of,
    mapping_of,
    reader_of,
)
from nomikon.server.apps.datasets.models import Dataset
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.lines import Left, Tell, answer, problem, refusal, told
from nomikon.server.people import actor_of
from nomikon.server.seen import check_seen
from nomikon.server.views import documented, given, page_of, taken


@documented("baselines", gives=list[BaselineShape], methods=["GET"])
@documented("make_baseline", takes=BaselineRequest, gives=BaselineShape, methods=["POST"])
@api_view(["GET", "POST"])
def baselines(request: Request, brief_id: int) -> Response:
    """Answers from elsewhere to the cases of a brief; a POST opens a further set of them."""
    brief = get_object_or_404(Brief, pk=brief_id)
    if request.method == "POST":
        data = taken(BaselineRequest, request)
        dataset = get_object_or_404(Dataset, pk=data["dataset"], brief=brief)
        made = MakeBaseline(
            dataset, data["name"], data["note"], actor_of(request), timezone.now()
        ).execute()
        return given(BaselineShape)(baseline_facts(made))
    found = Baseline.objects.filter(dataset__brief=brief).select_related("dataset")
    return given(list[BaselineShape])([baseline_facts(b) for b in found])


def _baseline(baseline_id: int) -> Baseline:
    found = Baseline.objects.select_related("dataset__brief")
    return get_object_or_404(found, pk=baseline_id)


@documented("change_baseline", takes=BaselineChangeRequest, gives=BaselineShape)
@api_view(["PUT"])
def change(request: Request, baseline_id: int) -> Response:
    """Rename answers from elsewhere, say where they are from, put them away or bring them back."""
    found = _baseline(baseline_id)
    data: dict[str, Any] = dict(taken(BaselineChangeRequest, request))
    check_seen(
        data.pop("seen"), {"name": found.name, "note": found.note, "archived": found.archived}
    )
    done = ChangeBaseline(found, **data, actor=actor_of(request), now=timezone.now()).execute()
    return given(BaselineShape)(baseline_facts(done))


@documented("baseline_sheet", gives=BaselineSheet, asks=SheetQuery)
@api_view(["GET"])
def sheet(request: Request, baseline_id: int) -> Response:
    """Cases beside the answers brought in; `which` leaves those that have one or have none."""
    which = request.query_params.get("which", "all")
    return given(BaselineSheet)(
        sheet_of(_baseline(baseline_id), which, *page_of(request, limit=50))
    )


@documented("write_answer", takes=AnswerRequest, gives=BaselineRow)
@api_view(["PUT"])
def write(request: Request, baseline_id: int, case_id: int) -> Response:
    """Put one answer down beside its case; a blank one takes it away."""
    found = _baseline(baseline_id)
    data = taken(AnswerRequest, request)
    WriteAnswer(
        found, case_id, data["text"], data["seen"], actor_of(request), timezone.now()
    ).execute()
    newest = newest_version(found.dataset)
    assert newest is not None
    entries = newest.entries.filter(revision__case=case_id).select_related("revision__case")
    return given(BaselineRow)(rows_of(found, entries)[0])


async def stream_look(request: HttpRequest, baseline_id: int) -> Any:
    """What a file of answers would bring, without storing it: lines so far, then all of it."""
    return await _streamed(request, baseline_id, store=False)


async def stream_import(request: HttpRequest, baseline_id: int) -> Any:
    """Take a file's answers in: lines so far, then what came of it."""
    return await _streamed(request, baseline_id, store=True)


async def _streamed(request: HttpRequest, baseline_id: int, *, store: bool) -> Any:
    if request.method != "POST":
        return problem(405, "method_not_allowed", "a file of answers is sent by POST")
    try:
        reader, name, asked = await sync_to_async(_prepared)(request, baseline_id)
    except Exception as error:  # noqa: BLE001
        return refusal(error)

    def work(tell: Tell, left: Left) -> dict[str, Any]:
        with reader as table:
            action = _action(asked, table, name, store)
            action.told = lambda read, refused: tell({"read": read, "n_refused": refused})
            action.stopped = left.is_set
            return dict(look_of(action, action.execute() if store else action.look()))

    return answer(held(request, told(work, reader.close)))


class _Asked:
    """What the person said of the file, and what is guessed where nothing was said."""

    def __init__(self, request: HttpRequest, baseline: Baseline) -> None:
        self.baseline, self.actor = baseline, actor_of(request)
        self.mapping = mapping_of(request.POST.get("mapping"))
        self.by = key_of(request.POST.get("by"))


def _prepared(request: HttpRequest, baseline_id: int) -> tuple[TableReader, str, _Asked]:
    asked = _Asked(request, _baseline(baseline_id))
    reader, name = reader_of(request)
    return reader, name, asked


def _action(asked: _Asked, table: OpenTable, name: str, store: bool) -> ImportAnswers:
    """Checked before a line is read; what was not said is guessed, for a look alone."""
    newest = newest_version(asked.baseline.dataset)
    inputs = newest.columns if newest else []
    if not store and not asked.mapping:
        uses = guess_uses(table.columns, inputs)
        asked.mapping = {c: {"as": use, "name": c} for c, use in uses.items()}
    if not store and not asked.by:
        asked.by = guess_key(asked.mapping, inputs)
    return ImportAnswers(
        asked.baseline, table, asked.mapping, asked.by, name[:120], asked.actor, timezone.now()
    )
