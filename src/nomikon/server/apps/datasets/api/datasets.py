"""Datasets: cases, import, export, moving between working and held-out."""

from __future__ import annotations

import json
from typing import Any

from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.cases import write_csv, write_xlsx
from nomikon.core.cases.columns import RENAME
from nomikon.core.cases.forms import ALSO_RIGHT
from nomikon.server.apps.briefs.actions.follow_column import FollowColumn
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.briefs.placeholders import reader_of_columns
from nomikon.server.apps.datasets.actions.add_case import AddCase
from nomikon.server.apps.datasets.actions.bulk_change import BulkChange
from nomikon.server.apps.datasets.actions.change_columns import ChangeColumns
from nomikon.server.apps.datasets.actions.change_dataset import ChangeDataset
from nomikon.server.apps.datasets.actions.copy_dataset import CopyDataset
from nomikon.server.apps.datasets.actions.create_dataset import CreateDataset
from nomikon.server.apps.datasets.actions.edit_cases import Edit, EditCases
from nomikon.server.apps.datasets.actions.pin_case import PinCase
from nomikon.server.apps.datasets.actions.settle_copies import SettleCopies
from nomikon.server.apps.datasets.actions.split_cases import SplitCases
from nomikon.server.apps.datasets.actions.take_back import TakeBack
from nomikon.server.apps.datasets.arranged import View, arranged
from nomikon.server.apps.datasets.copies import copies_of
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.facts import dataset_facts
from nomikon.server.apps.datasets.models import HELD_OUT, Dataset, Entry
from nomikon.server.apps.datasets.quality import MOST_AT_ONCE, quality_of
from nomikon.server.apps.datasets.reads import (
    BulkShape,
    CasePage,
    CaseShape,
    ColumnsShape,
    CopiesShape,
    DatasetMade,
    DatasetShape,
    EditedShape,
    PinsShape,
    QualityShape,
    SplitShape,
)
from nomikon.server.apps.datasets.takes import (
    BulkRequest,
    CasesQuery,
    ColumnsRequest,
    CopiesQuery,
    CopiesRequest,
    DatasetChangeRequest,
    DatasetRequest,
    EditRequest,
    KeepCaseRequest,
    PinRequest,
    QualityQuery,
    SplitRequest,
)
from nomikon.server.apps.datasets.versioning import newest_version, state_of
from nomikon.server.people import actor_of
from nomikon.server.seen import check_seen
from nomikon.server.typed import copied
from nomikon.server.views import (
    CSV_TYPE,
    LINES_TYPE,
    XLSX_TYPE,
    documented,
    download,
    given,
    page_of,
    taken,
)


@documented("create_dataset", takes=DatasetRequest, gives=DatasetMade)
@api_view(["POST"])
def datasets(request: Request, brief_id: int) -> Response:
    """Open a dataset for a brief."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(DatasetRequest, request)
    made = CreateDataset(brief, data["name"], actor_of(request), timezone.now()).execute()
    return given(DatasetMade)({"id": made.pk})


@documented("change_dataset", takes=DatasetChangeRequest, gives=DatasetShape)
@api_view(["PUT"])
def change(request: Request, dataset_id: int) -> Response:
    """Rename a dataset, put it away or bring it back."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    data: dict[str, Any] = dict(taken(DatasetChangeRequest, request))
    check_seen(data.pop("seen"), {"name": dataset.name, "archived": dataset.archived})
    done = ChangeDataset(dataset, **data, actor=actor_of(request), now=timezone.now()).execute()
    return given(DatasetShape)(copied(DatasetShape, dataset_facts(done)))


@documented("copy_dataset", takes=DatasetRequest, gives=DatasetShape)
@api_view(["POST"])
def copy(request: Request, dataset_id: int) -> Response:
    """A dataset of its own with the cases as they are now."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    data = taken(DatasetRequest, request)
    made = CopyDataset(dataset, data["name"], actor_of(request), timezone.now()).execute()
    return given(DatasetShape)(copied(DatasetShape, dataset_facts(made)))


@documented("take_back", gives=DatasetShape)
@api_view(["POST"])
def take_back(request: Request, dataset_id: int) -> Response:
    """Take the last import or change of many back, as long as nothing changed the cases since."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    TakeBack(dataset, actor_of(request), timezone.now()).execute()
    return given(DatasetShape)(copied(DatasetShape, dataset_facts(dataset)))


@documented("cases", gives=CasePage, asks=CasesQuery)
@api_view(["GET"])
def cases(request: Request, dataset_id: int) -> Response:
    """A page of the newest version's cases; `split`, `q` and `where` narrow it, `sort` orders it."""
    newest = newest_version(get_object_or_404(Dataset, pk=dataset_id))
    offset, limit = page_of(request)
    if newest is None:
        return given(CasePage)({"total": 0, "offset": 0, "cases": []})
    query = request.query_params
    ids = arranged(state_of(newest), View.of(query))
    shown = ids[offset : offset + limit]
    by_id = Entry.objects.select_related("revision__case").in_bulk(shown)
    page = [_case_row(by_id[i]) for i in shown if i in by_id]
    return given(CasePage)({"total": len(ids), "offset": offset, "cases": page})


def _case_row(entry: Entry) -> CaseShape:
    return {
        "revision": entry.revision_id,
        "number": entry.revision.case.number,
        "id": entry.revision.case.own_id,
        "inputs": entry.revision.inputs,
        "reference": entry.revision.reference,
        "forms": entry.revision.forms,
        "conversation": entry.revision.conversation,
        "tags": entry.revision.tags,
        "source": entry.revision.source,
        "split": entry.split,
    }


@documented("keep_case", takes=KeepCaseRequest, gives=CaseShape)
@api_view(["POST"])
def keep_case(request: Request, dataset_id: int) -> Response:
    """Keep one case from a try in a dataset."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    data = taken(KeepCaseRequest, request)
    kept = AddCase(dataset, **data, actor=actor_of(request), now=timezone.now()).execute()
    return given(CaseShape)(_case_row(kept.entries.latest("id")))


@documented("pins", gives=PinsShape, methods=["GET"])
@documented("pin_case", gives=PinsShape, takes=PinRequest, methods=["POST"])
@api_view(["GET", "POST"])
def pins(request: Request, brief_id: int) -> Response:
    """The cases held ready while drafting; a POST pins one or lets it go."""
    brief = get_object_or_404(Brief, pk=brief_id)
    if request.method == "POST":
        data = taken(PinRequest, request)
        PinCase(brief, **data, actor=actor_of(request), now=timezone.now()).execute()
    rows = []
    for pin in brief.pins.select_related("case__dataset"):
        newest = newest_version(pin.case.dataset)
        entry = newest and newest.entries.filter(revision__case=pin.case).first()
        if entry:
            rows.append(_case_row(entry))
    return given(PinsShape)({"cases": rows})


def _rows(dataset: Dataset) -> tuple[list[str], list[dict[str, Any]]]:
    newest = newest_version(dataset)
    if newest is None:
        return [], []
    entries = list(newest.entries.select_related("revision__case").order_by("position"))
    talks = any(e.revision.conversation is not None for e in entries)
    own = ["conversation"] if talks else []
    also = [ALSO_RIGHT] if any(e.revision.forms for e in entries) else []
    columns = ["id", *newest.columns, *own, "reference", *also, "split", "tags"]
    if any(e.revision.source for e in entries):
        columns.append("source")
    return columns, [
        {
            "id": e.revision.case.name,
            **e.revision.inputs,
            "conversation": e.revision.conversation,
            "reference": e.revision.reference,
            ALSO_RIGHT: e.revision.forms or None,
            "split": e.split,
            "tags": ";".join(e.revision.tags),
            "source": e.revision.source,
        }
        for e in entries
    ]


@documented("export_cases", files=(CSV_TYPE, XLSX_TYPE, LINES_TYPE))
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
        return download("".join(f"{x}\n" for x in lines), name, f"{LINES_TYPE}; charset=utf-8")
    return download(write_csv(columns, rows), name, f"{CSV_TYPE}; charset=utf-8")


@documented("edit_cases", takes=EditRequest, gives=EditedShape)
@api_view(["POST"])
def edit_cases(request: Request, dataset_id: int) -> Response:
    """Change, add, take out or put back cases; trials keep the revisions they ran on."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    data = taken(EditRequest, request)
    edits = [_edit(dict(row)) for row in data["edits"]]
    action = EditCases(
        dataset,
        edits,
        actor_of(request),
        timezone.now(),
        columns=data["columns"],
        kinds=data["kinds"],
        why=data["why"],
    )
    rows = [
        {
            "before": done.before and done.before.__dict__,
            "case": done.after and _case_row(done.after),
        }
        for done in action.execute()
    ]
    return given(EditedShape)(copied(EditedShape, dataset_facts(dataset), rows=rows))


def _edit(row: dict[str, Any]) -> Edit:
    given_ = {
        n: row[n]
        for n in ("reference", "forms", "tags", "split", "source", "conversation")
        if n in row
    }
    return Edit(
        row.get("revision"),
        row.get("values", {}),
        given_,
        row.get("put_back"),
        row.get("position"),
        row.get("out", False),
    )


@documented("bulk_change", takes=BulkRequest, gives=BulkShape)
@api_view(["POST"])
def bulk(request: Request, dataset_id: int) -> Response:
    """One change of every case that a view shows, or of a stretch of it; it can be taken back."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    data: dict[str, Any] = dict(taken(BulkRequest, request))
    asked = {name: data.pop(name) for name in ("split", "q", "where", "sort", "down")}
    action = BulkChange(
        dataset, View.of(asked), **data, actor=actor_of(request), now=timezone.now()
    )
    _, n = action.execute()
    return given(BulkShape)(copied(BulkShape, dataset_facts(dataset), n_changed=n))


@documented("case_quality", gives=QualityShape, asks=QualityQuery)
@api_view(["GET"])
def quality(request: Request, dataset_id: int) -> Response:
    """Near-duplicates, leaks, labels and lengths; of very many cases the first two only if asked for."""
    newest = newest_version(get_object_or_404(Dataset, pk=dataset_id))
    if newest is None or not newest.entries.exists():
        raise DatasetError("the dataset holds no case yet")
    near = request.query_params.get("near") == "true" or newest.entries.count() <= MOST_AT_ONCE
    return given(QualityShape)(copied(QualityShape, quality_of(state_of(newest), near)))


@documented("change_columns", takes=ColumnsRequest, gives=ColumnsShape)
@api_view(["POST"])
def columns(request: Request, dataset_id: int) -> Response:
    """Rename, take out, join, split or compute columns of all cases; looked at first without `store`."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    data: dict[str, Any] = dict(taken(ColumnsRequest, request))
    store, follow = data.pop("store"), data.pop("follow")
    actor, now = actor_of(request), timezone.now()
    action = ChangeColumns(dataset, **data, actor=actor, now=now)
    look = action.look()
    read_by = reader_of_columns(dataset.brief, data["columns"])
    n, saved = 0, None
    if store:
        with transaction.atomic():
            n = action.execute()
            if follow is not None and data["act"] == RENAME:
                version = get_object_or_404(dataset.brief.versions, number=follow)
                new = data["to"][0].strip()
                saved = FollowColumn(version, data["columns"][0], new, actor, now).execute().number
    return given(ColumnsShape)(
        {
            "n_changed": n,
            "samples": [
                {"number": number, "before": before, "after": after}
                for number, before, after in look.samples
            ],
            "n_without": look.without,
            "without": [{"number": number, "why": why} for number, why in look.whys],
            "read_by": read_by,
            "saved": saved,
        }
    )


@documented("copies", gives=CopiesShape, asks=CopiesQuery, methods=["GET"])
@documented("settle_copies", takes=CopiesRequest, gives=BulkShape, methods=["POST"])
@api_view(["GET", "POST"])
def copies(request: Request, dataset_id: int) -> Response:
    """Groups of copies among the cases; a POST settles some of them, or all."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    if request.method == "POST":
        data = taken(CopiesRequest, request)
        action = SettleCopies(dataset, **data, actor=actor_of(request), now=timezone.now())
        n = action.execute()
        return given(BulkShape)(copied(BulkShape, dataset_facts(dataset), n_changed=n))
    which = request.query_params.get("which", "open")
    return given(CopiesShape)(copies_of(dataset, which, *page_of(request, limit=20)))


@documented("split_cases", takes=SplitRequest, gives=SplitShape)
@api_view(["POST"])
def split(request: Request, dataset_id: int) -> Response:
    """Hold a share of all cases out at random, every label or tag in its share."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    data = taken(SplitRequest, request)
    made = SplitCases(dataset, **data, actor=actor_of(request), now=timezone.now()).execute()
    counts = made.entries.filter(split=HELD_OUT).count()
    return given(SplitShape)({"held_out": counts, "of": made.entries.count()})
