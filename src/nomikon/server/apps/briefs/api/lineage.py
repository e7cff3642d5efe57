"""Versions: saving, setting side by side, notes, histories, merging, files out and in."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from django.core.files.uploadedfile import TemporaryUploadedFile
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.digits import whole_number
from nomikon.core.errors import LineageFileError
from nomikon.core.files.lineage_zip import write_lineage_zip
from nomikon.core.prompts import (
    amendments_between,
    check_messages,
    settings_in_short,
    write_prompt_file,
)
from nomikon.core.prompts.lineage import plan_merge
from nomikon.core.prompts.side_by_side import Cell, side_by_side
from nomikon.engine.reading import VersionsReader
from nomikon.server.apps.briefs.actions.annotate_version import AnnotateVersion
from nomikon.server.apps.briefs.actions.import_versions import ImportVersions
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.amendment_rows import amendment_row, changes_row
from nomikon.server.apps.briefs.finding import versions_with
from nomikon.server.apps.briefs.lineage import entries_of, lineage, prompt_of
from nomikon.server.apps.briefs.message_rows import message_rows
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.briefs.numbered import version_numbered, version_or_404
from nomikon.server.apps.briefs.reads import (
    AmendmentShape,
    ChangesShape,
    ClauseShape,
    ImportedVersions,
    MergeShape,
    SideBySideShape,
    SideCell,
    SideRow,
    TakenShape,
    VersionDetail,
    WordChangeShape,
)
from nomikon.server.apps.briefs.reasons import reasons_today
from nomikon.server.apps.briefs.takes import (
    AnnotateRequest,
    FindVersionsQuery,
    SideBySideQuery,
    TakeRequest,
    VersionRequest,
)
from nomikon.server.people import actor_of
from nomikon.server.seen import check_seen
from nomikon.server.typed import copied
from nomikon.server.views import documented, download, given, taken


def _version_row(v: Version) -> VersionDetail:
    return {
        "id": v.pk,
        "number": v.number,
        "parent": v.parent.number if v.parent else None,
        "second_parent": v.second_parent.number if v.second_parent else None,
        "note": v.note,
        "tags": v.tags,
        "archived": v.archived,
        "origin": v.origin,
        "messages": v.messages,
        "settings": v.settings,
        "reasons": reasons_today(v),
        "created_at": v.created_at,
        "created_by": v.created_by,
    }


@documented("save_version", takes=VersionRequest, gives=VersionDetail)
@api_view(["POST"])
def versions(request: Request, brief_id: int) -> Response:
    """Save the text under work as a new version."""
    found = get_object_or_404(Brief, pk=brief_id)
    data = taken(VersionRequest, request)
    saved = SaveVersion(
        brief=found,
        messages=[dict(m) for m in data["messages"]],
        settings=data["settings"],
        parent=version_numbered(found, data["parent"]),
        second_parent=version_numbered(found, data["second_parent"], "second_parent"),
        note=data["note"],
        origin=data["origin"],
        reasons=[dict(r) for r in data["reasons"]],
        actor=actor_of(request),
        now=timezone.now(),
    ).execute()
    return given(VersionDetail)(_version_row(saved))


@documented("version", gives=VersionDetail)
@api_view(["GET"])
def version(request: Request, brief_id: int, number: int) -> Response:
    """One version whole."""
    return given(VersionDetail)(_version_row(version_or_404(brief_id, number)))


@documented("annotate_version", takes=AnnotateRequest, gives=VersionDetail)
@api_view(["POST"])
def annotate(request: Request, brief_id: int, number: int) -> Response:
    """Change a version's note or tags, archive it or bring it back."""
    data: dict[str, Any] = dict(taken(AnnotateRequest, request))
    found = version_or_404(brief_id, number)
    seen = data.pop("seen", None)
    check_seen(seen, {"note": found.note, "tags": found.tags, "archived": found.archived})
    changed = AnnotateVersion(found, **data, actor=actor_of(request), now=timezone.now()).execute()
    return given(VersionDetail)(_version_row(changed))


@documented("changes", gives=ChangesShape)
@api_view(["GET"])
def changes(request: Request, brief_id: int, number: int, against: int) -> Response:
    """What leads from one version to another, clause by clause."""
    new, old = version_or_404(brief_id, number), version_or_404(brief_id, against)
    found = amendments_between(
        check_messages(old.messages), check_messages(new.messages), old.settings, new.settings
    )
    return given(ChangesShape)(
        copied(
            ChangesShape,
            changes_row(found),
            against=old.number,
            settings_before=old.settings,
            settings_after=new.settings,
        )
    )


@documented("side_by_side", gives=SideBySideShape, asks=SideBySideQuery)
@api_view(["GET"])
def beside_each_other(request: Request, brief_id: int) -> Response:
    """Two to four versions clause by clause, held against the first of them."""
    numbers = [whole_number(n) for n in request.query_params.get("versions", "").split(",")]
    found = [version_or_404(brief_id, n or 0) for n in dict.fromkeys(numbers)]
    texts = [check_messages(v.messages) for v in found]
    rows: list[SideRow] = []
    for row in side_by_side(texts):
        place, cell = next((i, c) for i, c in enumerate(row.cells) if c is not None)
        message = texts[place][cell.clause.message]
        rows.append(
            {
                "role": message.role,
                "step": message.step,
                "cells": [None if c is None else _side_cell(c) for c in row.cells],
            }
        )
    return given(SideBySideShape)(
        {
            "versions": [v.number for v in found],
            "settings": [settings_in_short(v.settings) for v in found],
            "rows": rows,
        }
    )


def _side_cell(cell: Cell) -> SideCell:
    return {
        "clause": copied(ClauseShape, cell.clause),
        "kind": cell.kind,
        "words": [copied(WordChangeShape, w) for w in cell.words],
    }


@documented("find_versions", gives=list[int], asks=FindVersionsQuery)
@api_view(["GET"])
def find_versions(request: Request, brief_id: int) -> Response:
    """Numbers of the versions in which all these words stand, the newest first."""
    brief = get_object_or_404(Brief, pk=brief_id)
    return given(list[int])(versions_with(brief, request.query_params.get("q", "")))


@documented("merge_plan", gives=MergeShape)
@api_view(["GET"])
def merge_plan(request: Request, brief_id: int, number: int, other: int) -> Response:
    """What bringing another branch into a version offers, amendment by amendment."""
    found = version_or_404(brief_id, number)
    version_or_404(brief_id, other)
    merge = plan_merge(lineage(found.brief), number, other)
    return given(MergeShape)(
        {
            "base": merge.base,
            "kept": merge.revision.kept,
            "choices": [
                {
                    "amendment": copied(AmendmentShape, amendment_row(c.amendment)),
                    "side": c.side,
                }
                for c in merge.choices
            ],
            "proposed": sorted(merge.proposed),
        },
    )


@documented("merge", takes=TakeRequest, gives=TakenShape)
@api_view(["POST"])
def merged(request: Request, brief_id: int, number: int, other: int) -> Response:
    """The version's text with the chosen amendments of the other branch; nothing is saved yet."""
    ours, theirs = version_or_404(brief_id, number), version_or_404(brief_id, other)
    take = taken(TakeRequest, request)["take"]
    revision = amendments_between(
        check_messages(ours.messages),
        check_messages(theirs.messages),
        ours.settings,
        theirs.settings,
    )
    chosen = revision.closed(take)
    messages, settings = revision.apply(chosen)
    return given(TakenShape)(
        {
            "messages": message_rows(messages),
            "settings": settings,
            "left": [a.id for a in revision.amendments if a.id not in chosen],
        },
    )


def _file_name(brief: Brief) -> str:
    return re.sub(r"[^A-Za-z0-9]+", "-", brief.name).strip("-").lower() or "prompt"


@documented("prompt_file", files=("text/markdown",))
@api_view(["GET"])
def prompt_file(request: Request, brief_id: int, number: int) -> HttpResponse:
    """A version as a prompt file."""
    found = version_or_404(brief_id, number)
    name = f"{_file_name(found.brief)}-v{number}.md"
    return download(write_prompt_file(prompt_of(found)), name, "text/markdown; charset=utf-8")


@documented("lineage_zip", files=("application/zip",))
@api_view(["GET"])
def lineage_zip(request: Request, brief_id: int) -> HttpResponse:
    """The whole lineage as a folder of prompt files in a zip."""
    found = get_object_or_404(Brief, pk=brief_id)
    return download(
        write_lineage_zip(entries_of(found)), f"{_file_name(found)}-lineage.zip", "application/zip"
    )


@documented(
    "import_versions",
    takes={
        "multipart/form-data": {
            "type": "object",
            "properties": {
                "file": {"type": "string", "format": "binary"},
                "parent": {"type": "integer"},
            },
        }
    },
    gives=ImportedVersions,
)
@api_view(["POST"])
@parser_classes([MultiPartParser])
def import_versions(request: Request, brief_id: int) -> Response:
    """Take a prompt file, or a zip of them, in as versions."""
    found = get_object_or_404(Brief, pk=brief_id)
    upload = request.FILES.get("file")
    if not isinstance(upload, TemporaryUploadedFile):
        raise LineageFileError("choose a prompt file (.md) or a zip of them", field="file")
    entries = VersionsReader(Path(upload.temporary_file_path())).read()
    parent_text = request.POST.get("parent", "")
    parent = version_numbered(found, whole_number(parent_text))
    made = ImportVersions(
        found, entries, parent, str(upload.name)[:120], actor_of(request), timezone.now()
    ).execute()
    return given(ImportedVersions)({"versions": [v.number for v in made]})
