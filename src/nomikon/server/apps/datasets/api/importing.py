"""Importing cases: a file is looked at without storing it, then taken in while the page is told."""

from __future__ import annotations

import asyncio
import json
import threading
from collections.abc import AsyncIterator, Callable
from typing import Any, BinaryIO, cast

from asgiref.sync import sync_to_async
from django.core.files.uploadedfile import UploadedFile
from django.db import close_old_connections
from django.http import Http404, HttpRequest, JsonResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.cases import OpenTable, Refused, open_csv, open_jsonl, open_xlsx
from nomikon.core.cases.kinds import guess_kind
from nomikon.core.errors import DomainError
from nomikon.server.apps.briefs.placeholders import placeholders_of
from nomikon.server.apps.datasets.actions.create_dataset import DatasetError
from nomikon.server.apps.datasets.actions.import_cases import INPUT, ImportCases, Imported, split_of
from nomikon.server.apps.datasets.models import SPLITS, Dataset
from nomikon.server.apps.datasets.reads import PreviewColumn, RefusedShape, TablePreview
from nomikon.server.people import actor_of
from nomikon.server.problems import MEDIA_TYPE
from nomikon.server.typed import copied
from nomikon.server.views import documented, given

# Columns taken for something other than an input unless the person says otherwise.
_GUESSES = {
    "reference": "reference",
    "expected": "reference",
    "answer": "reference",
    "right answer": "reference",
    "conversation": "conversation",
    "turns": "conversation",
    "split": "split",
    "tags": "tags",
    "id": "leave-out",
}
MAX_REFUSALS_SHOWN = 100
# So many rows tell what kind of values a column holds.
ROWS_LOOKED_AT = 400
TYPE = "application/x-ndjson"


def _opened(upload: UploadedFile[Any] | None, told: dict[str, Any]) -> tuple[OpenTable, str]:
    """The table of the uploaded file, read with the encoding and delimiter given."""
    if upload is None or upload.file is None:
        raise DatasetError("choose a file to import", field="file")
    file = cast(BinaryIO, upload.file)
    name = str(upload.name or "")
    encoding = told.get("encoding") or None
    if name.lower().endswith((".xlsx", ".xlsm")):
        return open_xlsx(file), name
    if name.lower().endswith((".jsonl", ".ndjson")):
        return open_jsonl(file, encoding=encoding), name
    delimiter = {"tab": "\t"}.get(str(told.get("delimiter")), told.get("delimiter")) or None
    return open_csv(file, encoding=encoding, delimiter=delimiter), name


_FORM = {
    "file": {"type": "string", "format": "binary"},
    "encoding": {"type": "string"},
    "delimiter": {"type": "string"},
}


@documented(
    "preview_import",
    takes={"multipart/form-data": {"type": "object", "properties": _FORM}},
    gives=TablePreview,
)
@api_view(["POST"])
@parser_classes([MultiPartParser])
def preview(request: Request, dataset_id: int) -> Response:
    """Read a file without storing it: columns, a guess at their use and kind, rows refused."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    table, _ = _opened(
        request.FILES.get("file"), {name: request.POST.get(name) for name in request.POST}
    )
    wanted = placeholders_of(dataset.brief)
    seen: dict[str, list[Any]] = {c: [] for c in table.columns}
    refused: list[Refused] = []
    rows = n_refused = 0
    for record in table.records():
        if isinstance(record, Refused):
            n_refused += 1
            if len(refused) < MAX_REFUSALS_SHOWN:
                refused.append(record)
            continue
        rows += 1
        if rows <= ROWS_LOOKED_AT:
            for column, values in seen.items():
                values.append(record.values.get(column))
    columns: list[PreviewColumn] = [
        {
            "name": c,
            "use": INPUT if c in wanted else _use_of(c, values),
            "kind": guess_kind(values),
            "fills": c in wanted,
            "examples": [_short(v) for v in values[:3]],
        }
        for c, values in seen.items()
    ]
    return given(TablePreview)(
        {
            "columns": columns,
            "rows": rows,
            "n_refused": n_refused,
            "refused": [copied(RefusedShape, r) for r in refused],
            "encoding": table.encoding,
            "delimiter": table.delimiter,
            "notes": table.notes,
            "unfilled": [p for p in wanted if p not in table.columns],
        },
    )


def _use_of(column: str, values: list[Any]) -> str:
    """What a column is by its name, or by holding nothing but the two splits."""
    filled = {split_of(v) for v in values if v not in (None, "")}
    if filled and filled <= set(SPLITS):
        return "split"
    return _GUESSES.get(column.strip().lower(), INPUT)


def _short(value: Any) -> str:
    text = (
        ""
        if value is None
        else value
        if isinstance(value, str)
        else json.dumps(value, ensure_ascii=False)
    )
    return text[:120]


async def stream_import(request: HttpRequest, dataset_id: int) -> Any:
    """Add a file's rows to the dataset: a line of JSON after every batch, then how it ended.

    What is refused is named, the good rows are kept; a page that goes away stops it.
    """
    if request.method != "POST":
        return _problem(405, "method_not_allowed", "an import is asked for by POST")
    try:
        action = await sync_to_async(_prepared)(request, dataset_id)
    except Http404:
        return _problem(404, "not_found", "this dataset is not there any more")
    except DomainError as error:
        return _problem(422, error.code, error.message, error.field)
    response = StreamingHttpResponse(_lines(action), content_type=TYPE)
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response


def _problem(status: int, title: str, detail: str, field: str | None = None) -> JsonResponse:
    body = {"title": title, "status": status, "detail": detail, "field": field}
    return JsonResponse(body, status=status, content_type=MEDIA_TYPE)


def _prepared(request: HttpRequest, dataset_id: int) -> ImportCases:
    """The import with everything checked that can be before a row is stored."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    table, name = _opened(request.FILES.get("file"), request.POST.dict())
    action = ImportCases(
        dataset=dataset,
        table=table,
        mapping=_mapping(request.POST.get("mapping")),
        split=str(request.POST.get("split") or "working"),
        actor=actor_of(request),
        now=timezone.now(),
        source=name[:120],
    )
    action.check()
    return action


async def _lines(action: ImportCases) -> AsyncIterator[bytes]:
    """What the importing thread tells; leaving this stops it at its next batch."""
    loop = asyncio.get_running_loop()
    told: asyncio.Queue[dict[str, Any] | None] = asyncio.Queue()
    left = threading.Event()

    def tell(line: dict[str, Any] | None) -> None:
        if not left.is_set():
            loop.call_soon_threadsafe(told.put_nowait, line)

    action.told = lambda read, refused: tell({"read": read, "n_refused": refused})
    action.stopped = left.is_set
    worker = threading.Thread(target=_import, args=(action, tell), name="import", daemon=True)
    worker.start()
    try:
        while (line := await told.get()) is not None:
            yield json.dumps(line, ensure_ascii=False).encode() + b"\n"
    finally:
        left.set()
        # The file goes with the request: the thread must be done with it first.
        await asyncio.shield(asyncio.to_thread(worker.join))


def _import(action: ImportCases, tell: Callable[[dict[str, Any] | None], None]) -> None:
    try:
        tell({"done": _imported(action.execute())})
    except DomainError as error:
        tell({"refused": {"title": error.code, "detail": error.message, "field": error.field}})
    except Exception:
        tell({"refused": {"detail": "the import broke off; nothing of it was kept"}})
        raise
    finally:
        tell(None)
        close_old_connections()


def _imported(done: Imported) -> dict[str, Any]:
    return {
        "dataset_version": done.version.number,
        "added": done.added,
        "n_refused": done.n_refused,
        "refused": [r.__dict__ for r in done.refused[:MAX_REFUSALS_SHOWN]],
    }


def _mapping(text: Any) -> dict[str, dict[str, str]]:
    try:
        mapping = json.loads(text or "{}")
    except (ValueError, RecursionError, TypeError) as error:
        raise DatasetError("the mapping is not JSON", field="mapping") from error
    usable = isinstance(mapping, dict) and all(
        isinstance(v, dict) and all(isinstance(x, str) for x in v.values())
        for v in mapping.values()
    )
    if not usable:
        raise DatasetError("the mapping must say for each column what it is", field="mapping")
    return dict(mapping)
