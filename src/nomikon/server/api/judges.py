"""Judges held against people's marks, corrected references, rubrics that a model drafts."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.measures.judging import JudgeMeasure
from nomikon.core.measures.registry import MEASURES
from nomikon.server.api import shapes_judges as sj
from nomikon.server.api.common import documented, given, taken
from nomikon.server.api.trials import trial_or_404
from nomikon.server.datasets.models import CaseRevision
from nomikon.server.people import actor_of
from nomikon.server.reviews.judge_check import judges_of
from nomikon.server.trials.actions.correct_reference import CorrectReference


@documented("trial_judges", gives=sj.JudgeShape(many=True))
@api_view(["GET"])
def trial_judges(request: Request, trial_id: int) -> Response:
    """Each judge of a trial: how far it agrees with people, and whether order or length sways it."""
    return given(sj.JudgeShape, judges_of(trial_or_404(trial_id)), many=True)


@documented("correct_reference", takes=sj.CorrectRequest, gives=sj.CorrectedShape)
@api_view(["POST"])
def correct(request: Request, revision_id: int) -> Response:
    """Put a reference right; every stored output of the case is scored by it, without a call."""
    get_object_or_404(CaseRevision, pk=revision_id)
    data = taken(sj.CorrectRequest, request)
    done = CorrectReference(
        revision_id, **data, actor=actor_of(request), now=timezone.now()
    ).execute()
    return given(
        sj.CorrectedShape,
        {
            "revision": revision_id,
            "reference": done.revision.reference,
            "trials": done.trials,
            "corrections": done.revision.corrections.order_by("-id"),
        },
    )


@documented("corrections", gives=sj.CorrectionShape(many=True))
@api_view(["GET"])
def corrections(request: Request, revision_id: int) -> Response:
    """What a case's reference said before, the newest correction first."""
    found = get_object_or_404(CaseRevision, pk=revision_id)
    return given(sj.CorrectionShape, found.corrections.order_by("-id"), many=True)


@documented("judge_instructions", gives=sj.InstructionShape(many=True))
@api_view(["GET"])
def instructions(request: Request) -> Response:
    """What the judge of each measure is told unless it is changed."""
    rows = [
        {"measure": name, "text": m.instruction}
        for name, m in MEASURES.items()
        if issubclass(m, JudgeMeasure)
    ]
    return given(sj.InstructionShape, rows, many=True)
