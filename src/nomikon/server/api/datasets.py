"""Datasets: cases, import, export, moving between working and held-out."""

from __future__ import annotations

import json
from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.cases import Table, read_csv, read_jsonl, read_xlsx, write_csv, write_xlsx
from nomikon.core.errors import DomainError
from nomikon.core.prompts import check_messages, placeholder_names
from nomikon.server.api import shapes
from nomikon.server.api import shapes_draft as ds
from nomikon.server.api.common import documented, given, page_of, taken
from nomikon.server.api.drafts import download
from nomikon.server.briefs.models import Brief
from nomikon.server.datasets.actions.add_case import AddCase
from nomikon.server.datasets.actions.create_dataset import CreateDataset, DatasetError
from nomikon.server.datasets.actions.edit_case import EditCase
from nomikon.server.datasets.actions.import_cases import INPUT, ImportCases
from nomikon.server.datasets.actions.move_cases import MoveCases
from nomikon.server.datasets.actions.pin_case import PinCase
from nomikon.server.datasets.actions.split_cases import SplitCases
from nomikon.server.datasets.models import HELD_OUT, SPLITS, Dataset, Entry
from nomikon.server.datasets.quality import quality_of
from nomikon.server.people import actor_of

# Columns taken for something other than an input unless the person says otherwise.
_GUESSES = {
    "reference": "reference",
    "expected": "reference",
    "split": "split",
    "tags": "tags",
    "id": "leave-out",
}
MAX_REFUSALS_SHOWN = 100
XLSX_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


@documented("create_dataset", takes=shapes.DatasetRequest, gives=shapes.DatasetMade)
@api_view(["POST"])
def datasets(request: Request, brief_id: int) -> Response:
    """Open a dataset for a brief."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(shapes.DatasetRequest, request)
    made = CreateDataset(brief, data["name"], actor_of(request), timezone.now()).execute()
    return given(shapes.DatasetMade, {"id": made.pk})


@documented("cases", gives=shapes.CasePage)
@api_view(["GET"])
def cases(request: Request, dataset_id: int) -> Response:
    """A page of the newest version's cases; `split` and `q` narrow it."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    newest = dataset.versions.order_by("-number").first()
    entries = newest.entries.select_related("revision__case").order_by("position")
    if (split := request.query_params.get("split")) in SPLITS:
        entries = entries.filter(split=split)
    words = request.query_params.get("q", "").strip().lower()
    offset, limit = page_of(request)
    if words:
        rows = [e for e in entries if words in _searchable(e.revision)]
        total, page = len(rows), rows[offset : offset + limit]
    else:
        total, page = entries.count(), list(entries[offset : offset + limit])
    return given(
        shapes.CasePage,
        {
            "total": total,
            "offset": offset,
            "cases": [_case_row(e) for e in page],
        },
    )


def _case_row(entry: Entry) -> dict[str, Any]:
    return {
        "revision": entry.revision_id,
        "number": entry.revision.case.number,
        "inputs": entry.revision.inputs,
        "reference": entry.revision.reference,
        "conversation": entry.revision.conversation,
        "tags": entry.revision.tags,
        "split": entry.split,
    }


@documented("keep_case", takes=ds.KeepCaseRequest, gives=shapes.CaseShape)
@api_view(["POST"])
def keep_case(request: Request, dataset_id: int) -> Response:
    """Keep one case from a try in a dataset."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    data = taken(ds.KeepCaseRequest, request)
    kept = AddCase(dataset, **data, actor=actor_of(request), now=timezone.now()).execute()
    return given(shapes.CaseShape, _case_row(kept.entries.latest("id")))


@documented("pins", gives=ds.PinsShape, takes=ds.PinRequest)
@api_view(["GET", "POST"])
def pins(request: Request, brief_id: int) -> Response:
    """The cases held ready while drafting; a POST pins one or lets it go."""
    brief = get_object_or_404(Brief, pk=brief_id)
    if request.method == "POST":
        data = taken(ds.PinRequest, request)
        PinCase(brief, **data, actor=actor_of(request), now=timezone.now()).execute()
    rows = []
    for pin in brief.pins.select_related("case__dataset"):
        newest = pin.case.dataset.versions.order_by("-number").first()
        entry = newest and newest.entries.filter(revision__case=pin.case).first()
        if entry:
            rows.append(_case_row(entry))
    return given(ds.PinsShape, {"cases": rows})


def _searchable(revision: Any) -> str:
    parts = [str(v) for v in revision.inputs.values()]
    return " ".join([*parts, revision.reference or "", *revision.tags]).lower()


def _uploaded(request: Request) -> tuple[Table, str]:
    """The table of the uploaded file, read with the encoding and delimiter given."""
    upload = request.FILES.get("file")
    if upload is None:
        raise DatasetError("choose a file to import", field="file")
    data = upload.read()
    encoding = request.data.get("encoding") or None
    if upload.name.lower().endswith((".xlsx", ".xlsm")):
        return read_xlsx(data), upload.name
    if upload.name.lower().endswith((".jsonl", ".ndjson")):
        return read_jsonl(data, encoding=encoding), upload.name
    delimiter = {"tab": "\t"}.get(
        str(request.data.get("delimiter")), request.data.get("delimiter")
    ) or None
    return read_csv(data, encoding=encoding, delimiter=delimiter), upload.name


def _placeholders(brief: Brief) -> list[str]:
    newest = brief.versions.order_by("-number").first()
    if newest is None:
        return []
    try:
        return placeholder_names(check_messages(newest.messages))
    except DomainError:
        # A stored version was checked when it was saved; an older rule may have let one in.
        return []


@extend_schema(
    operation_id="preview_import",
    request={
        "multipart/form-data": {
            "type": "object",
            "properties": {
                "file": {"type": "string", "format": "binary"},
                "encoding": {"type": "string"},
                "delimiter": {"type": "string"},
            },
        }
    },
    responses={200: shapes.TablePreview},
)
@api_view(["POST"])
@parser_classes([MultiPartParser])
def preview(request: Request, dataset_id: int) -> Response:
    """Read a file without storing it: columns, a guess at their use, rows refused."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    table, _ = _uploaded(request)
    wanted = _placeholders(dataset.brief)
    columns = [
        {
            "name": c,
            "use": INPUT if c in wanted else _GUESSES.get(c.lower(), INPUT),
            "fills": c in wanted,
            "examples": [_short(row.get(c)) for row in table.rows[:3]],
        }
        for c in table.columns
    ]
    return given(
        shapes.TablePreview,
        {
            "columns": columns,
            "rows": len(table.rows),
            "refused": [r.__dict__ for r in table.refused[:MAX_REFUSALS_SHOWN]],
            "encoding": table.encoding,
            "delimiter": table.delimiter,
            "notes": table.notes,
            "unfilled": [p for p in wanted if p not in table.columns],
        },
    )


def _short(value: Any) -> str:
    text = (
        ""
        if value is None
        else value
        if isinstance(value, str)
        else json.dumps(value, ensure_ascii=False)
    )
    return text[:120]


@extend_schema(
    operation_id="import_cases",
    request={
        "multipart/form-data": {
            "type": "object",
            "properties": {
                "file": {"type": "string", "format": "binary"},
                "mapping": {"type": "string"},
                "split": {"type": "string"},
                "encoding": {"type": "string"},
                "delimiter": {"type": "string"},
            },
        }
    },
    responses={200: shapes.ImportedShape},
)
@api_view(["POST"])
@parser_classes([MultiPartParser])
def import_cases(request: Request, dataset_id: int) -> Response:
    """Add a file's rows to the dataset; what is refused is named, the good rows are kept."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    table, name = _uploaded(request)
    done = ImportCases(
        dataset=dataset,
        table=table,
        mapping=_mapping(request.data.get("mapping")),
        split=str(request.data.get("split") or "working"),
        actor=actor_of(request),
        now=timezone.now(),
        source=name[:120],
    ).execute()
    return given(
        shapes.ImportedShape,
        {
            "dataset_version": done.version.number,
            "added": done.added,
            "refused": [r.__dict__ for r in done.refused[:MAX_REFUSALS_SHOWN]],
        },
    )


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
    return mapping


@documented("move_cases", takes=shapes.MoveRequest, gives=shapes.ImportedShape)
@api_view(["POST"])
def move(request: Request, dataset_id: int) -> Response:
    """Move cases between working and held-out."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    data = taken(shapes.MoveRequest, request)
    version = MoveCases(
        dataset, data["revisions"], data["split"], actor_of(request), timezone.now()
    ).execute()
    return given(
        shapes.ImportedShape, {"dataset_version": version.number, "added": 0, "refused": []}
    )


def _rows(dataset: Dataset) -> tuple[list[str], list[dict[str, Any]]]:
    newest = dataset.versions.order_by("-number").first()
    entries = newest.entries.select_related("revision__case").order_by("position")
    columns = ["id", *newest.columns, "reference", "split", "tags"]
    return columns, [
        {
            "id": str(e.revision.case.number),
            **e.revision.inputs,
            "reference": e.revision.reference,
            "split": e.split,
            "tags": ";".join(e.revision.tags),
        }
        for e in entries
    ]


@extend_schema(operation_id="export_cases", responses={(200, "text/csv"): str})
@api_view(["GET"])
def export(request: Request, dataset_id: int, kind: str) -> HttpResponse:
    """The newest version as CSV, XLSX (both safe to open in a spreadsheet) or JSON Lines."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    columns, rows = _rows(dataset)
    name = f"cases-{dataset.pk}.{kind}"
    if kind == "xlsx":
        return download(write_xlsx(columns, rows), name, XLSX_TYPE)
    if kind == "jsonl":
        lines = [json.dumps({c: row.get(c) for c in columns}, ensure_ascii=False) for row in rows]
        return download("".join(f"{x}\n" for x in lines), name, "application/jsonl; charset=utf-8")
    return download(write_csv(columns, rows), name, "text/csv; charset=utf-8")


@documented("edit_case", takes=ds.EditCaseRequest, gives=shapes.CaseShape)
@api_view(["POST"])
def edit_case(request: Request, dataset_id: int) -> Response:
    """Change what a case says; trials keep the revision they ran on."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    data = taken(ds.EditCaseRequest, request)
    made = EditCase(dataset, **data, actor=actor_of(request), now=timezone.now()).execute()
    return given(shapes.CaseShape, _case_row(made.entries.latest("id")))


@documented("case_quality", gives=ds.QualityShape)
@api_view(["GET"])
def quality(request: Request, dataset_id: int) -> Response:
    """Near-duplicates, leaks, labels and lengths of the newest version."""
    newest = get_object_or_404(Dataset, pk=dataset_id).versions.order_by("-number").first()
    if newest is None or not newest.entries.exists():
        raise DatasetError("the dataset holds no case yet")
    return given(ds.QualityShape, quality_of(newest.pk))


@documented("split_cases", takes=ds.SplitRequest, gives=ds.SplitShape)
@api_view(["POST"])
def split(request: Request, dataset_id: int) -> Response:
    """Hold a share of all cases out at random, every label or tag in its share."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    data = taken(ds.SplitRequest, request)
    made = SplitCases(dataset, **data, actor=actor_of(request), now=timezone.now()).execute()
    counts = made.entries.filter(split=HELD_OUT).count()
    return given(ds.SplitShape, {"held_out": counts, "of": made.entries.count()})
