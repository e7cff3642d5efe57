"""Two answers to one case, read blind."""

from __future__ import annotations

from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.apps.reviews.actions.prefer_output import PreferOutput
from nomikon.server.apps.reviews.pairing import pairs_of, preferences_of
from nomikon.server.apps.reviews.reads import PairsShape, PreferencesShape, PreferRequest
from nomikon.server.apps.reviews.takes import PairsRequest
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


@documented("pairs", takes=PairsRequest, gives=PairsShape)
@api_view(["POST"])
def pairs(request: Request, trial_id: int) -> Response:
    """Pairs of answers of the chosen arms, in seeded order with sides by chance."""
    trial = trial_or_404(trial_id)
    data = taken(PairsRequest, request)
    return given(PairsShape)(
        copied(PairsShape, pairs_of(trial, data["arms"], reader=actor_of(request)))
    )


@documented("prefer", takes=PreferRequest, gives=PreferRequest)
@api_view(["POST"])
def prefer(request: Request, trial_id: int) -> Response:
    """Prefer the left one, the right one or neither."""
    trial_or_404(trial_id)
    data = taken(PreferRequest, request)
    made = PreferOutput(**data, actor=actor_of(request), now=timezone.now()).execute()
    return given(PreferRequest)({**data, "outcome": made.outcome, "reason": made.reason})


@documented("preferences", gives=PreferencesShape)
@api_view(["GET"])
def preferences(request: Request, trial_id: int) -> Response:
    """Strengths of a trial's arms from all preferences."""
    return given(PreferencesShape)({"result": preferences_of(trial_or_404(trial_id))})
