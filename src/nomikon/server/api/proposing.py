"""Cases that a model proposes: what it is asked, and what its reply would add."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.cases.proposing import (
    EXAMPLES,
    Coverage,
    case_inputs,
    case_prompt,
    check_dimensions,
    coverage,
    read_proposals,
)
from nomikon.core.prompts import as_rows
from nomikon.server.api import shapes_cases as sc
from nomikon.server.api import shapes_draft as ds
from nomikon.server.api.common import documented, given, taken
from nomikon.server.api.importing import placeholders_of
from nomikon.server.briefs.questions import job_of
from nomikon.server.datasets.models import WORKING, Dataset
from nomikon.server.datasets.versioning import newest_version


def _columns(dataset: Dataset) -> list[str]:
    """What a new case is to fill: the placeholders of the newest prompt, else the columns there are."""
    newest = newest_version(dataset)
    wanted = placeholders_of(dataset.brief)
    return wanted or list(newest.columns if newest else [])


@documented("ask_cases", takes=sc.AskCasesRequest, gives=ds.AlikeShape)
@api_view(["POST"])
def ask_cases(request: Request, dataset_id: int) -> Response:
    """The request that has a model propose cases, to be shown, changed and sent."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    data = taken(sc.AskCasesRequest, request)
    inputs = case_inputs(
        job=job_of(dataset.brief),
        how_many=data["how_many"],
        columns=_columns(dataset),
        dimensions=check_dimensions(data["dimensions"]),
        hard=data["hard"],
        examples=_examples(dataset),
    )
    return given(ds.AlikeShape, {"messages": as_rows(case_prompt()), "inputs": inputs})


def _examples(dataset: Dataset) -> list[tuple[dict[str, Any], str | None]]:
    """Working cases spread over the dataset; held-out ones are never shown to a model for this."""
    newest = newest_version(dataset)
    if newest is None:
        return []
    found = list(
        newest.entries.filter(split=WORKING)
        .order_by("position")
        .values_list("revision__inputs", "revision__reference")
    )
    return found[:: max(1, len(found) // EXAMPLES)][:EXAMPLES]


@documented("read_cases", takes=sc.ReadCasesRequest, gives=sc.ProposalsShape)
@api_view(["POST"])
def read_cases(request: Request, dataset_id: int) -> Response:
    """A model's reply as proposals: near-copies are flagged, what each would cover is told."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    data = taken(sc.ReadCasesRequest, request)
    dimensions = check_dimensions(data["dimensions"])
    newest = newest_version(dataset)
    rows = (
        list(
            newest.entries.order_by("position").values_list(
                "revision__case__number", "revision__inputs", "revision__tags"
            )
        )
        if newest
        else []
    )
    found = read_proposals(
        data["text"],
        columns=_columns(dataset),
        dimensions=dimensions,
        existing=[r[1] for r in rows],
    )
    before = [r[2] for r in rows]
    return given(
        sc.ProposalsShape,
        {
            "cases": [
                {
                    "values": c.values,
                    "reference": c.reference,
                    "tags": list(c.tags),
                    "near_case": None if c.near is None else rows[c.near][0],
                    "near_proposal": c.near_proposal,
                    "likeness": c.likeness,
                }
                for c in found.cases
            ],
            "refused": [{"place": place, "reason": why} for place, why in found.refused],
            "before": _told(coverage(dimensions, before)),
            "after": _told(coverage(dimensions, [*before, *(c.tags for c in found.cases)])),
        },
    )


@documented("case_coverage", takes=sc.CoverageRequest, gives=sc.CoverageShape)
@api_view(["POST"])
def case_coverage(request: Request, dataset_id: int) -> Response:
    """How far the cases, and further ones with these tags, cover the dimensions."""
    dataset = get_object_or_404(Dataset, pk=dataset_id)
    data = taken(sc.CoverageRequest, request)
    newest = newest_version(dataset)
    tags = list(newest.entries.values_list("revision__tags", flat=True)) if newest else []
    found = coverage(check_dimensions(data["dimensions"]), [*tags, *data["tags"]])
    return given(sc.CoverageShape, _told(found))


def _told(found: Coverage) -> dict[str, Any]:
    return {
        "dimensions": [
            {"name": name, "values": [{"value": v, "n": n} for v, n in counts.items()]}
            for name, counts in found.counts.items()
        ],
        "pairs": found.pairs,
        "pairs_possible": found.pairs_possible,
    }
