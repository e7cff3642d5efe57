"""Judges held against people's marks, corrected references, rubrics that a model drafts."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.measures.judging import JudgeMeasure
from nomikon.core.measures.registry import MEASURES
from nomikon.server.apps.briefs.reads import InstructionShape
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.reviews.judge_check import judges_of
from nomikon.server.apps.reviews.reads import JudgeShape
from nomikon.server.apps.trials.actions.correct_reference import CorrectReference
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.apps.trials.reads import CorrectedShape, CorrectedTrial, CorrectionShape
from nomikon.server.apps.trials.takes import CorrectRequest
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


@documented("trial_judges", gives=list[JudgeShape])
@api_view(["GET"])
def trial_judges(request: Request, trial_id: int) -> Response:
    """Each judge of a trial: how far it agrees with people, and whether order or length sways it."""
    return given(list[JudgeShape])(judges_of(trial_or_404(trial_id)))


@documented("correct_reference", takes=CorrectRequest, gives=CorrectedShape)
@api_view(["POST"])
def correct(request: Request, revision_id: int) -> Response:
    """Put a reference right; every stored output of the case is scored by it, without a call."""
    get_object_or_404(CaseRevision, pk=revision_id)
    data = taken(CorrectRequest, request)
    done = CorrectReference(
        revision_id, **data, actor=actor_of(request), now=timezone.now()
    ).execute()
    return given(CorrectedShape)(
        {
            "revision": revision_id,
            "reference": done.revision.reference,
            "forms": done.revision.forms,
            "trials": [copied(CorrectedTrial, t) for t in done.trials],
            "corrections": _corrections(done.revision),
        },
    )


def _corrections(revision: CaseRevision) -> list[CorrectionShape]:
    return [
        {
            "before": c.before,
            "after": c.after,
            "forms_before": c.forms_before,
            "forms_after": c.forms_after,
            "reason": c.reason,
            "corrected_at": c.corrected_at,
            "corrected_by": c.corrected_by,
        }
        for c in revision.corrections.order_by("-id")
    ]


@documented("corrections", gives=list[CorrectionShape])
@api_view(["GET"])
def corrections(request: Request, revision_id: int) -> Response:
    """What a case's reference said before, the newest correction first."""
    found = get_object_or_404(CaseRevision, pk=revision_id)
    return given(list[CorrectionShape])(_corrections(found))


@documented("judge_instructions", gives=list[InstructionShape])
@api_view(["GET"])
def instructions(request: Request) -> Response:
    """What the judge of each measure is told unless it is changed."""
    rows: list[InstructionShape] = [
        {"measure": name, "text": m.instruction}
        for name, m in MEASURES.items()
        if issubclass(m, JudgeMeasure)
    ]
    return given(list[InstructionShape])(rows)
