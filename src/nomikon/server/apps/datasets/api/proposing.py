"""Cases that a model proposes: what it is asked, and what its reply would add."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.cases.proposing import (
    check_dimensions,
    coverage,
)
from nomikon.server.apps.datasets.coverage import coverage_told
from nomikon.server.apps.datasets.models import Dataset
from nomikon.server.apps.datasets.reads import CoverageShape
from nomikon.server.apps.datasets.takes import CoverageRequest
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.views import documented, given, taken


@documented("case_coverage", takes=CoverageRequest, gives=CoverageShape)
@api_view(["POST"])
def case_coverage(request: Request, dataset_id: int) -> Response:
    """How far the cases, and further ones with these tags, cover the dimensions."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    data = taken(CoverageRequest, request)
    newest = newest_version(dataset)
    tags = list(newest.entries.values_list("revision__tags", flat=True)) if newest else []
    found = coverage(check_dimensions(data["dimensions"]), [*tags, *data["tags"]])
    return given(CoverageShape)(coverage_told(found))
