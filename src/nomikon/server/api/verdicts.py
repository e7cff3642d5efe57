"""Verdicts: adopt an arm, what stands against it since, and the watch over it."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.api import shapes_trials as st
from nomikon.server.api import shapes_verdict as sv
from nomikon.server.api.common import documented, given, taken
from nomikon.server.briefs.models import Brief
from nomikon.server.people import actor_of
from nomikon.server.trials.facts import arm_facts
from nomikon.server.trials.models import Arm
from nomikon.server.verdicts.actions.adopt_arm import AdoptArm
from nomikon.server.verdicts.actions.start_watch import AskAgain, StartWatch, StopWatch
from nomikon.server.verdicts.models import Verdict, Watch
from nomikon.server.verdicts.standing import (
    adopted_verdict,
    notices_of,
    reservations_about,
    reworked_since,
)
from nomikon.server.verdicts.watching import watch_detail


def _verdict_row(v: Verdict) -> dict[str, Any]:
    return {
        "id": v.pk,
        "arm": arm_facts(v.arm),
        "trial": v.arm.trial_id,
        "trial_number": v.arm.trial.number,
        "reason": v.reason,
        "evidence": v.evidence,
        "reworked": reworked_since(v),
        "decided_at": v.decided_at,
        "decided_by": v.decided_by,
    }


@documented("verdicts", gives=st.VerdictShape(many=True))
@api_view(["GET"])
def verdicts(request: Request, brief_id: int) -> Response:
    """A brief's verdicts, newest first."""
    found = (
        Verdict.objects.filter(brief_id=brief_id)
        .select_related(
            "arm__trial__scorecard", "arm__trial__brief", "arm__version", "arm__model__connection"
        )
        .order_by("-id")
    )
    return given(st.VerdictShape, [_verdict_row(v) for v in found], many=True)


@documented("adopt_arm", takes=st.AdoptRequest, gives=st.VerdictShape)
@api_view(["POST"])
def adopt(request: Request, brief_id: int) -> Response:
    """Adopt an arm, with a reason; the evidence is recorded as it is now."""
    data = taken(st.AdoptRequest, request)
    get_object_or_404(Arm, pk=data["arm"], trial__brief_id=brief_id)
    saved = AdoptArm(
        data["arm"], data["against"], data["reason"], actor_of(request), timezone.now()
    ).execute()
    return given(st.VerdictShape, _verdict_row(saved))


@documented("adoption", gives=sv.AdoptionShape)
@api_view(["GET"])
def adoption(request: Request, arm_id: int) -> Response:
    """What adopting this arm has to answer to: no held-out evidence, figures against it."""
    arm = get_object_or_404(Arm.objects.select_related("trial", "version", "model"), pk=arm_id)
    return given(sv.AdoptionShape, {"reservations": reservations_about(arm)})


@documented("standing", gives=sv.VerdictStanding)
@api_view(["GET"])
def standing(request: Request, brief_id: int) -> Response:
    """Whether the adopted arm still stands: what later trials and its watch say against it."""
    return given(sv.VerdictStanding, _standing(get_object_or_404(Brief, pk=brief_id)))


def _standing(brief: Brief) -> dict[str, Any]:
    verdict = adopted_verdict(brief)
    watch = verdict and verdict.watches.order_by("-id").first()
    return {
        "verdict": verdict and verdict.pk,
        "n_cases": verdict.arm.trial.n_cases if verdict else 0,
        "notices": notices_of(brief),
        "watch": watch and watch_detail(watch),
    }


@documented("start_watch", takes=sv.WatchRequest, gives=sv.VerdictStanding)
@api_view(["POST"])
def start_watch(request: Request, verdict_id: int) -> Response:
    """Keep watch over an adopted arm: its first run is started, checks follow."""
    verdict = get_object_or_404(
        Verdict.objects.select_related(
            "brief", "arm__trial", "arm__version", "arm__model__connection"
        ),
        pk=verdict_id,
    )
    data = taken(sv.WatchRequest, request)
    StartWatch(verdict, **data, actor=actor_of(request), now=timezone.now()).execute()
    return given(sv.VerdictStanding, _standing(verdict.brief))


def _watch_or_404(watch_id: int) -> Watch:
    return get_object_or_404(
        Watch.objects.select_related(
            "brief",
            "verdict__arm__trial",
            "verdict__arm__version",
            "verdict__arm__model__connection",
        ),
        pk=watch_id,
    )


@documented("ask_again", gives=sv.VerdictStanding)
@api_view(["POST"])
def ask_again(request: Request, watch_id: int) -> Response:
    """Check now: the arm is asked again on the watch's cases."""
    watch = _watch_or_404(watch_id)
    AskAgain(watch, actor_of(request), timezone.now()).execute()
    return given(sv.VerdictStanding, _standing(watch.brief))


@documented("stop_watch", gives=sv.VerdictStanding)
@api_view(["POST"])
def stop_watch(request: Request, watch_id: int) -> Response:
    """No more checks; what was found stays."""
    watch = _watch_or_404(watch_id)
    StopWatch(watch, actor_of(request), timezone.now()).execute()
    return given(sv.VerdictStanding, _standing(watch.brief))
