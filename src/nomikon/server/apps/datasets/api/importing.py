"""Importing cases: a file is looked at without storing it, then taken in; both tell how far they are."""

from __future__ import annotations

import json
from collections.abc import AsyncIterator
from pathlib import Path
from typing import IO, Any

from asgiref.sync import sync_to_async
from django.core.files.uploadedfile import TemporaryUploadedFile
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.cases import OpenTable, Refused
from nomikon.core.cases.forms import ALSO_RIGHT
from nomikon.core.cases.hard_lines import delimiters_read, encodings_read
from nomikon.core.cases.kinds import guess_kind
from nomikon.core.prompts.rendering import value_as_text
from nomikon.engine.reading import TableReader
from nomikon.server.apps.briefs.placeholders import placeholders_of
from nomikon.server.apps.datasets.actions.import_cases import (
    ID,
    INPUT,
    KEEP,
    ImportCases,
    Imported,
    split_of,
)
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import LONGEST_ID, SPLITS, Dataset
from nomikon.server.apps.datasets.reads import (
    DelimiterReadShape,
    EncodingReadShape,
    HardLinesShape,
    PreviewColumn,
    TablePreview,
)
from nomikon.server.apps.datasets.tied import found_file, packed
from nomikon.server.apps.datasets.update_preview import refused_row, would_change
from nomikon.server.lines import Left, Tell, answer, problem, refusal, told
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given

# Columns taken for something other than an input unless the person says otherwise.
_GUESSES = {
    "reference": "reference",
    "expected": "reference",
    "answer": "reference",
    "right answer": "reference",
    ALSO_RIGHT: "forms",
    "conversation": "conversation",
    "turns": "conversation",
    "split": "split",
    "tags": "tags",
    "source": "source",
}
# Columns that name the case, where every row has another name.
_IDS = (
    "id",
    "case id",
    "case_id",
    "caseid",
    "case",
    "uid",
    "uuid",
    "record id",
    "record_id",
    "key",
)
MOST_WORDS_IN_ID = 2
MAX_REFUSALS_SHOWN = 100
# So many rows tell what kind of values a column holds.
ROWS_LOOKED_AT = 400
# They are held meanwhile: no more of them than so many characters.
MOST_HELD = 20_000_000
# The page is told after so many rows.
TOLD_EVERY = 500


async def stream_preview(request: HttpRequest, dataset_id: int) -> Any:
    """Read a file without storing it: rows so far, then columns, a guess at their use, rows refused.

    A page that goes away stops it.
    """
    if request.method != "POST":
        return problem(405, "method_not_allowed", "a preview is asked for by POST")
    try:
        reader, wanted = await sync_to_async(_prepared_preview)(request, dataset_id)
    except Exception as error:  # noqa: BLE001
        return refusal(error)

    def work(tell: Tell, left: Left) -> dict[str, Any]:
        with reader as table:
            return dict(_preview(table, wanted, tell))

    return answer(held(request, told(work, reader.close)))


@documented("hard_lines", gives=HardLinesShape)
@api_view(["POST"])
def hard_lines(request: Request, dataset_id: int) -> Response:
    """How each encoding and delimiter would read the lines of a file that tell them apart."""
    get_object_or_404(Dataset, pk=dataset_id)
    plain = request._request
    path, _, pack = file_of(plain)
    if pack is not None:
        pack.close()
        raise DatasetError("a folder has no lines of its own", field="path")
    with path.open("rb") as file:
        encodings = encodings_read(file)
        told = plain.POST.get("encoding", "")
        fitting = [e.encoding for e in encodings if e.fits]
        delimiters = delimiters_read(file, told or (fitting[0] if fitting else "utf-8"))
    return given(HardLinesShape)(
        {
            "encodings": [copied(EncodingReadShape, e) for e in encodings],
            "delimiters": [copied(DelimiterReadShape, d) for d in delimiters],
        }
    )


async def stream_import(request: HttpRequest, dataset_id: int) -> Any:
    """Add a file's rows to the dataset: a line of JSON after every batch, then how it ended.

    What is refused is named, the good rows are kept; a page that goes away stops it.
    """
    if request.method != "POST":
        return problem(405, "method_not_allowed", "an import is asked for by POST")
    try:
        reader, action = await sync_to_async(_prepared_import)(request, dataset_id)
    except Exception as error:  # noqa: BLE001
        return refusal(error)

    def work(tell: Tell, left: Left) -> dict[str, Any]:
        action.told = lambda read, refused: tell({"read": read, "n_refused": refused})
        action.stopped = left.is_set
        try:
            return _imported(action.execute())
        finally:
            reader.end()

    return answer(held(request, told(work, reader.close)))


async def stream_compare(request: HttpRequest, dataset_id: int) -> Any:
    """What the file would change by `by`, without storing it: rows so far, then all of it."""
    if request.method != "POST":
        return problem(405, "method_not_allowed", "an update is looked at by POST")
    try:
        reader, action = await sync_to_async(_prepared_import)(request, dataset_id)
    except Exception as error:  # noqa: BLE001
        return refusal(error)

    def work(tell: Tell, left: Left) -> dict[str, Any]:
        try:
            return dict(
                would_change(
                    action,
                    lambda read, refused: tell({"read": read, "n_refused": refused}),
                    left.is_set,
                )
            )
        finally:
            reader.end()

    return answer(held(request, told(work, reader.close)))


async def held(request: HttpRequest, lines: AsyncIterator[bytes]) -> AsyncIterator[bytes]:
    """The uploaded file goes with its request: that is held for as long as lines come."""
    async for line in lines:
        yield line
    del request


def reader_of(request: HttpRequest, sort: str = "") -> tuple[TableReader, str]:
    """The reader of the uploaded file, or of one of this machine by its path, with the encoding and
    delimiter given. sort: "" by its name."""
    path, name, pack = file_of(request)
    sort = sort or _SORTS.get(Path(name).suffix.lower(), "csv")
    delimiter = {"tab": "\t"}.get(request.POST.get("delimiter", ""), request.POST.get("delimiter"))
    reader = TableReader(
        path,
        sort,
        encoding=request.POST.get("encoding") or None,
        delimiter=delimiter or None,
        held=pack,
    )
    return reader, Path(name).stem if sort == "documents" else name


def file_of(request: HttpRequest) -> tuple[Path, str, IO[bytes] | None]:
    """The file that was sent, or the one of this machine at the path that was; its name; and what
    must be held meanwhile where a folder was packed."""
    upload = request.FILES.get("file")
    told = request.POST.get("path", "")
    if isinstance(upload, TemporaryUploadedFile):
        return Path(upload.temporary_file_path()), str(upload.name or ""), None
    if not told:
        raise DatasetError("choose a file to import", field="file")
    path = found_file(told)
    if not path.is_dir():
        return path, path.name, None
    pack = packed(path)
    return Path(pack.name), f"{path.name}.documents", pack


_SORTS = {
    ".xlsx": "xlsx",
    ".xlsm": "xlsx",
    ".jsonl": "jsonl",
    ".ndjson": "jsonl",
    ".json": "jsonl",
    ".documents": "documents",
}


def _prepared_preview(request: HttpRequest, dataset_id: int) -> tuple[TableReader, list[str]]:
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    return reader_of(request)[0], placeholders_of(dataset.brief)


def _preview(table: OpenTable, wanted: list[str], tell: Tell) -> TablePreview:
    seen: dict[str, list[Any]] = {c: [] for c in table.columns}
    refused: list[Refused] = []
    rows = n_refused = held = 0
    for record in table.records():
        if isinstance(record, Refused):
            n_refused += 1
            if len(refused) < MAX_REFUSALS_SHOWN:
                refused.append(record)
        else:
            rows += 1
            if rows <= ROWS_LOOKED_AT and held < MOST_HELD:
                for column, values in seen.items():
                    value = record.values.get(column)
                    values.append(value)
                    held += len(value) if isinstance(value, str) else 8
        if (rows + n_refused) % TOLD_EVERY == 0:
            tell({"read": rows + n_refused, "n_refused": n_refused})
    named = next((c for c in _IDS for name in seen if _plain(name) == c and _names(seen[name])), "")
    columns: list[PreviewColumn] = [
        {
            "name": c,
            "use": INPUT if c in wanted else ID if named == _plain(c) else _use_of(c, values),
            "kind": guess_kind(values),
            "fills": c in wanted,
            "examples": [_short(v) for v in values[:3]],
        }
        for c, values in seen.items()
    ]
    return {
        "columns": columns,
        "rows": rows,
        "n_refused": n_refused,
        "refused": [refused_row(r) for r in refused],
        "encoding": table.encoding,
        "delimiter": table.delimiter,
        "notes": table.notes,
        "sheets": table.sheets,
        "unfilled": [p for p in wanted if p not in table.columns],
    }


def _use_of(column: str, values: list[Any]) -> str:
    """What a column is by its name, or by holding nothing but the two splits."""
    filled = {split_of(v) for v in values if v not in (None, "")}
    if filled and filled <= set(SPLITS):
        return "split"
    return _GUESSES.get(column.strip().lower(), INPUT)


def _plain(column: str) -> str:
    return column.strip().lower()


def _names(values: list[Any]) -> bool:
    """Whether the values can be names of cases: one each, on one line, and no sentences."""
    told = [value_as_text(v).strip() for v in values if v not in (None, "")]
    named = all(len(t) <= LONGEST_ID and len(t.split()) <= MOST_WORDS_IN_ID for t in told)
    return bool(told) and named and len(set(told)) == len(told)


def _short(value: Any) -> str:
    text = (
        ""
        if value is None
        else value
        if isinstance(value, str)
        else json.dumps(value, ensure_ascii=False)
    )
    return text[:120]


def _prepared_import(request: HttpRequest, dataset_id: int) -> tuple[TableReader, ImportCases]:
    """The import with everything checked that can be before a row is stored."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    reader, name = reader_of(request)
    action = ImportCases(
        dataset=dataset,
        table=reader.open(),
        mapping=mapping_of(request.POST.get("mapping")),
        split=str(request.POST.get("split") or "working"),
        actor=actor_of(request),
        now=timezone.now(),
        source=name[:120],
        by=key_of(request.POST.get("by")),
        gone=str(request.POST.get("gone") or KEEP),
        mended=_mended(request.POST.get("mended")),
        only_mended=request.POST.get("only_mended") == "true",
    )
    try:
        action.check()
    except BaseException:
        reader.end()
        raise
    return reader, action


def _imported(done: Imported) -> dict[str, Any]:
    return {
        "dataset_version": done.version.number,
        "added": done.added,
        "changed": done.changed,
        "equal": done.equal,
        "removed": done.removed,
        "n_refused": done.n_refused,
        "refused": [refused_row(r) for r in done.refused[:MAX_REFUSALS_SHOWN]],
    }


def _mended(text: Any) -> dict[int, dict[str, str]]:
    """Lines that a person has put right: a JSON list of {line, values}, values by column."""
    try:
        rows = json.loads(text or "[]")
        found = {int(row["line"]): dict(row["values"]) for row in rows}
    except (ValueError, RecursionError, TypeError, KeyError) as error:
        raise DatasetError("mended lines are a list of line and values", field="mended") from error
    if not all(isinstance(x, str) for values in found.values() for x in values.values()):
        raise DatasetError("what a mended line holds is text", field="mended")
    return found


def key_of(text: Any) -> tuple[str, ...]:
    """The columns that tell rows apart: a JSON list, empty where every row is added."""
    try:
        found = json.loads(text or "[]")
    except (ValueError, RecursionError, TypeError) as error:
        raise DatasetError("what rows are told apart by is not JSON", field="by") from error
    if not isinstance(found, list) or not all(isinstance(x, str) and x for x in found):
        raise DatasetError("say by a list of columns what rows are told apart by", field="by")
    return tuple(dict.fromkeys(found))


def mapping_of(text: Any) -> dict[str, dict[str, str]]:
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
