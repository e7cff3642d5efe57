"""Logs of conversations: looked at without storing, then taken in; both tell how far they are."""

from __future__ import annotations

from typing import Any

from asgiref.sync import sync_to_async
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone

from nomikon.core.cases import OpenTable
from nomikon.core.cases.talks import LAST
from nomikon.engine.reading import TableReader
from nomikon.server.apps.baselines.actions.import_log import (
    MESSAGES,
    SAMPLES,
    Found,
    Gathered,
    ImportLog,
)
from nomikon.server.apps.baselines.reads import LogCaseShape, LogDone, LogLook
from nomikon.server.apps.briefs.placeholders import placeholders_of
from nomikon.server.apps.datasets.api.importing import held, reader_of
from nomikon.server.apps.datasets.models import Dataset
from nomikon.server.apps.datasets.update_preview import refused_row
from nomikon.server.lines import Left, Tell, answer, problem, refusal, told
from nomikon.server.people import actor_of

SHOWN = 100


async def stream_look(request: HttpRequest, dataset_id: int) -> Any:
    """What a log would bring, without storing it: talks so far, then all of it."""
    return await _streamed(request, dataset_id, store=False)


async def stream_import(request: HttpRequest, dataset_id: int) -> Any:
    """Take a log's cases in, and its answers: talks so far, then what came of it."""
    return await _streamed(request, dataset_id, store=True)


async def _streamed(request: HttpRequest, dataset_id: int, *, store: bool) -> Any:
    if request.method != "POST":
        return problem(405, "method_not_allowed", "a log is sent by POST")
    try:
        reader, made = await sync_to_async(_prepared)(request, dataset_id)
    except Exception as error:  # noqa: BLE001
        return refusal(error)

    def work(tell: Tell, left: Left) -> dict[str, Any]:
        with reader as table:
            action = made(table)
            action.told = lambda read, refused: tell({"read": read, "n_refused": refused})
            action.stopped = left.is_set
            return dict(_taken(action) if store else _look(action, action.look()))

    return answer(held(request, told(work, reader.close)))


def _prepared(request: HttpRequest, dataset_id: int) -> tuple[TableReader, Any]:
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    reader, name = reader_of(request, sort="log")
    given = request.POST
    usual = next((p for p in placeholders_of(dataset.brief) if p not in ("history", "system")), "")
    actor = actor_of(request)

    def made(table: OpenTable) -> ImportLog:
        return ImportLog(
            dataset,
            table,
            str(given.get("way") or LAST),
            str(given.get("message") or usual or "message"),
            str(given.get("past") or MESSAGES),
            given.get("system") == "true",
            str(given.get("baseline") or ""),
            name[:120],
            actor,
            timezone.now(),
        )

    return reader, made


def _look(action: ImportLog, came: Gathered) -> LogLook:
    return {
        "n_talks": came.n_talks,
        "n_cases": len(came.found),
        "n_answers": came.n_answers,
        "n_system": sum(f.case.system != "" for f in came.found),
        "message": action.message,
        "notes": action.table.notes,
        "encoding": action.table.encoding,
        "n_refused": came.n_refused,
        "refused": [refused_row(r) for r in came.refused[:SHOWN]],
        "samples": [_sample(f) for f in came.found[:SAMPLES]],
    }


def _sample(f: Found) -> LogCaseShape:
    return {
        "line": f.line,
        "source": f.source,
        "message": f.case.message,
        "turns": list(f.case.turns),
        "history": f.case.as_text,
        "system": f.case.system,
        "answer": f.case.answer,
    }


def _taken(action: ImportLog) -> LogDone:
    came, done, made = action.execute()
    return {
        "added": done.added,
        "dataset_version": done.version.number,
        "baseline": None if made is None else made.pk,
        "n_answers": 0 if made is None else made.answers.count(),
        "n_refused": came.n_refused + done.n_refused,
        "refused": [refused_row(r) for r in [*came.refused, *done.refused][:SHOWN]],
    }
