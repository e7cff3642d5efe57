"""The held-out check of two arms."""

from __future__ import annotations

from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.found import trial_or_404, two_arms
from nomikon.server.apps.verdicts.checking import check_of, plan_check
from nomikon.server.apps.verdicts.reads import CheckShape
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given


@documented("held_out_check", gives=CheckShape)
@api_view(["GET"])
def check(request: Request, trial_id: int, arm_id: int, against_id: int) -> Response:
    """The newest held-out check of two arms, and how often held-out cases were looked at."""
    found = trial_or_404(trial_id)
    return given(CheckShape)(
        copied(CheckShape, check_of(found, *two_arms(found, arm_id, against_id)))
    )


@documented("start_check", gives=CheckShape)
@api_view(["POST"])
def start_check(request: Request, trial_id: int, arm_id: int, against_id: int) -> Response:
    """Run two arms once on the held-out cases: one more look, written into the ledger."""
    found = trial_or_404(trial_id)
    a, b = two_arms(found, arm_id, against_id)
    question = f"held-out check of trial {found.number}"
    StartTrial(plan_check(found, a, b), question, actor_of(request), timezone.now()).execute()
    return given(CheckShape)(copied(CheckShape, check_of(found, a, b)))
