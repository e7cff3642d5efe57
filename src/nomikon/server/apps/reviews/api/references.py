"""References written one after another, by one person or by two."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.apps.datasets.models import CaseRevision, Dataset, Entry
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.apps.reviews.actions.write_reference import WriteReference
from nomikon.server.apps.reviews.missing import alike_in, missing_in
from nomikon.server.apps.reviews.reads import (
    AlikeShape,
    MissingShape,
    ReferencePage,
    ReferenceWritten,
)
from nomikon.server.apps.reviews.references import page_of_references, rows_of
from nomikon.server.apps.reviews.takes import (
    AlikeQuery,
    MissingQuery,
    ReferencesQuery,
    WriteReferenceRequest,
)
from nomikon.server.people import actor_of
from nomikon.server.views import documented, given, page_of, taken


@documented("references", gives=ReferencePage, asks=ReferencesQuery)
@api_view(["GET"])
def references(request: Request, dataset_id: int) -> Response:
    """Cases whose reference is to be written, with what an arm answered and what others wrote."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    query = request.query_params
    arm = query.get("arm", "")
    offset, limit = page_of(request, limit=20)
    page = page_of_references(
        dataset,
        actor_of(request),
        which=query.get("which", "open"),
        arm=int(arm) if arm.isdecimal() else None,
        two=query.get("two") == "true",
        offset=offset,
        limit=limit,
    )
    return given(ReferencePage)(page)


@documented("missing", gives=MissingShape, asks=MissingQuery)
@api_view(["GET"])
def missing(request: Request, dataset_id: int) -> Response:
    """What the cases are by tag, label, length and language, and where there are too few."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    arm = request.query_params.get("arm", "")
    return given(MissingShape)(missing_in(dataset, int(arm) if arm.isdecimal() else None))


@documented("alike", gives=AlikeShape, asks=AlikeQuery)
@api_view(["GET"])
def alike(request: Request, dataset_id: int) -> Response:
    """Cases of another dataset of the brief that are like those of one part of this."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    query = request.query_params
    among = query.get("among", "")
    other = get_object_or_404(
        Dataset, pk=int(among) if among.isdecimal() else 0, brief=dataset.brief
    )
    found = alike_in(dataset, query.get("kind", ""), query.get("name", ""), other)
    return given(AlikeShape)({"cases": found})


@documented("write_reference", takes=WriteReferenceRequest, gives=ReferenceWritten)
@api_view(["POST"])
def write(request: Request, revision_id: int) -> Response:
    """Write what is right for a case; stored answers are scored by it, without a call."""
    found = CaseRevision.objects.select_related("case__dataset__brief")
    revision = get_object_or_404(found, pk=revision_id)
    data = taken(WriteReferenceRequest, request)
    became = WriteReference(revision, **data, actor=actor_of(request), now=timezone.now()).execute()
    newest = newest_version(revision.case.dataset)
    entries = Entry.objects.filter(dataset_version=newest, revision=revision)
    rows = rows_of(entries.select_related("revision__case"), actor_of(request), None)
    if not rows:
        entry = Entry(revision=CaseRevision.objects.select_related("case").get(pk=revision_id))
        rows = rows_of([entry], actor_of(request), None)
    return given(ReferenceWritten)({"became": became, "row": rows[0]})
