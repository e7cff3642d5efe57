"""Verdicts: adopt an arm, what stands against it since, and the watch over it."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.trials.facts import arm_facts
from nomikon.server.apps.trials.models import Arm
from nomikon.server.apps.verdicts.actions.adopt_arm import AdoptArm
from nomikon.server.apps.verdicts.actions.start_watch import AskAgain, StartWatch, StopWatch
from nomikon.server.apps.verdicts.models import Verdict, Watch
from nomikon.server.apps.verdicts.reads import (
    AdoptionShape,
    VerdictShape,
    VerdictStanding,
    WatchPowerShape,
)
from nomikon.server.apps.verdicts.standing import (
    adopted_verdict,
    notices_of,
    reservations_about,
    reworked_since,
    unseen_by_score,
)
from nomikon.server.apps.verdicts.takes import AdoptRequest, WatchRequest
from nomikon.server.apps.verdicts.watch_power import watch_power
from nomikon.server.apps.verdicts.watching import watch_detail
from nomikon.server.people import actor_of
from nomikon.server.views import documented, given, taken


def _verdict_row(v: Verdict) -> VerdictShape:
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


@documented("verdicts", gives=list[VerdictShape])
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
    return given(list[VerdictShape])([_verdict_row(v) for v in found])


@documented("adopt_arm", takes=AdoptRequest, gives=VerdictShape)
@api_view(["POST"])
def adopt(request: Request, brief_id: int) -> Response:
    """Adopt an arm, with a reason; the evidence is recorded as it is now."""
    data = taken(AdoptRequest, request)
    get_object_or_404(Arm, pk=data["arm"], trial__brief_id=brief_id)
    saved = AdoptArm(
        data["arm"], data["against"], data["reason"], actor_of(request), timezone.now()
    ).execute()
    return given(VerdictShape)(_verdict_row(saved))


@documented("adoption", gives=AdoptionShape)
@api_view(["GET"])
def adoption(request: Request, arm_id: int) -> Response:
    """What adopting this arm has to answer to: no held-out evidence, figures against it."""
    arm = get_object_or_404(
        Arm.objects.select_related("trial__scorecard", "version", "model"), pk=arm_id
    )
    return given(AdoptionShape)(
        {"reservations": reservations_about(arm), "unseen": unseen_by_score(arm)}
    )


@documented("standing", gives=VerdictStanding)
@api_view(["GET"])
def standing(request: Request, brief_id: int) -> Response:
    """Whether the adopted arm still stands: what later trials and its watch say against it."""
    return given(VerdictStanding)(_standing(get_object_or_404(Brief, pk=brief_id)))


def _standing(brief: Brief) -> VerdictStanding:
    verdict = adopted_verdict(brief)
    watch = verdict.watches.order_by("-id").first() if verdict else None
    return {
        "verdict": verdict.pk if verdict else None,
        "n_cases": verdict.arm.trial.n_cases if verdict else 0,
        "notices": notices_of(brief),
        "watch": watch_detail(watch) if watch else None,
    }


@documented("plan_watch", takes=WatchRequest, gives=WatchPowerShape)
@api_view(["POST"])
def plan_watch(request: Request, verdict_id: int) -> Response:
    """What a watch over an adopted arm would be able to see; nothing is stored."""
    verdict = get_object_or_404(Verdict.objects.select_related("arm__trial"), pk=verdict_id)
    data = taken(WatchRequest, request)
    StartWatch(verdict, **data, actor=actor_of(request), now=timezone.now()).check_numbers()
    return given(WatchPowerShape)(watch_power(verdict, data["cases"], data["planned"]))


@documented("start_watch", takes=WatchRequest, gives=VerdictStanding)
@api_view(["POST"])
def start_watch(request: Request, verdict_id: int) -> Response:
    """Keep watch over an adopted arm: its first run is started, checks follow."""
    verdict = get_object_or_404(
        Verdict.objects.select_related(
            "brief", "arm__trial", "arm__version", "arm__model__connection"
        ),
        pk=verdict_id,
    )
    data = taken(WatchRequest, request)
    StartWatch(verdict, **data, actor=actor_of(request), now=timezone.now()).execute()
    return given(VerdictStanding)(_standing(verdict.brief))


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


@documented("ask_again", gives=VerdictStanding)
@api_view(["POST"])
def ask_again(request: Request, watch_id: int) -> Response:
    """Check now: the arm is asked again on the watch's cases."""
    watch = _watch_or_404(watch_id)
    AskAgain(watch, actor_of(request), timezone.now()).execute()
    return given(VerdictStanding)(_standing(watch.brief))


@documented("stop_watch", gives=VerdictStanding)
@api_view(["POST"])
def stop_watch(request: Request, watch_id: int) -> Response:
    """No more checks; what was found stays."""
    watch = _watch_or_404(watch_id)
    StopWatch(watch, actor_of(request), timezone.now()).execute()
    return given(VerdictStanding)(_standing(watch.brief))
