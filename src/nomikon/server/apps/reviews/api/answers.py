"""Answers laid open: which are looked at, what differs between two, what an arm's total is made of."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.digits import whole_number
from nomikon.core.errors import PlanError
from nomikon.core.results.differing import differing
from nomikon.server.apps.briefs.reads import WordChangeShape
from nomikon.server.apps.reviews.in_full import arms_in_full
from nomikon.server.apps.reviews.reads import (
    ArmsInFull,
    DifferingShape,
    PartChangeShape,
    SelectionShape,
)
from nomikon.server.apps.reviews.selection import selection_of
from nomikon.server.apps.reviews.takes import DifferencesQuery, SelectionQuery
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.apps.trials.models import Output
from nomikon.server.typed import copied
from nomikon.server.views import documented, given


@documented("selection", gives=SelectionShape, asks=SelectionQuery)
@api_view(["GET"])
def selection(request: Request, trial_id: int) -> Response:
    """The cases of a trial whose answers are asked for, in the order asked for."""
    query = {name: str(value) for name, value in request.query_params.items()}
    return given(SelectionShape)(selection_of(trial_or_404(trial_id), query))


@documented("arms_in_full", gives=ArmsInFull)
@api_view(["GET"])
def arms(request: Request, trial_id: int) -> Response:
    """What each arm's total is made of: measures, marks, precedents, cases won and lost."""
    return given(ArmsInFull)(arms_in_full(trial_or_404(trial_id)))


@documented("differences_of_answers", gives=DifferingShape, asks=DifferencesQuery)
@api_view(["GET"])
def differences(request: Request, output_id: int) -> Response:
    """What differs between an answer and what is wanted, or another answer to the same case."""
    found = get_object_or_404(Output.every.select_related("revision"), pk=output_id)
    wanted = request.query_params.get("to")
    if wanted is None:
        before = found.revision.reference
        if before is None:
            raise PlanError("nothing is known to be wanted for this case", field="to")
    else:
        number = whole_number(wanted)
        other = number and Output.every.filter(pk=number, revision=found.revision_id).first()
        if not other:
            raise PlanError("there is no such answer to this case", field="to")
        before = other.text
    told = differing(before, found.text)
    return given(DifferingShape)(
        {
            "how": told.how,
            "same": told.same,
            "words": [copied(WordChangeShape, w) for w in told.words],
            "parts": [copied(PartChangeShape, p) for p in told.parts],
            "cut": told.cut,
        }
    )
