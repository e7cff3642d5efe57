"""Desk, session and ledger."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.conf import settings
from django.db.models import Sum
from django.db.models.functions import ExtractDay
from django.middleware.csrf import get_token
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.api import shapes
from nomikon.server.api.common import documented, given, page_of
from nomikon.server.briefs.docket import docket_entry
from nomikon.server.briefs.models import Brief
from nomikon.server.connections.models import Model
from nomikon.server.ledger.models import Line
from nomikon.server.ledger.reading import Wanted, choices, lines_of, rows_of, wanted_of
from nomikon.server.ledger.spending import SINGLE_CALLS, spend_rows
from nomikon.server.people import actor_of
from nomikon.server.trials.models import RUNNING, Output, Trial, Worker
from nomikon.server.worker import MISSED_AFTER

LATELY = 8


def _month_start(now: datetime) -> datetime:
    return now.replace(day=1, hour=0, minute=0, second=0, microsecond=0)


def _spent_since(start: datetime) -> int:
    outputs = Output.every.filter(created_at__gte=start).aggregate(n=Sum("cost_new"))
    tests = Line.objects.filter(at__gte=start, what__in=SINGLE_CALLS).aggregate(n=Sum("cost_nano"))
    return (outputs["n"] or 0) + (tests["n"] or 0)


def worker_state(now: datetime) -> str:
    """running, idle or stopped, by the worker's own sign of life."""
    worker = Worker.objects.filter(pk=1).first()
    if worker is None or now - worker.seen_at > MISSED_AFTER:
        return "stopped"
    return "running" if Trial.objects.filter(state=RUNNING).exists() else "idle"


@documented("session", gives=shapes.SessionShape)
@api_view(["GET"])
def session(request: Request) -> Response:
    """What every page needs: the token for writes, the worker's state, the month's spend."""
    now = timezone.now()
    return given(
        shapes.SessionShape,
        {
            "csrf": get_token(request._request),
            "actor": actor_of(request),
            "currency": settings.CURRENCY,
            "worker": worker_state(now),
            "running_trials": Trial.objects.filter(state=RUNNING).count(),
            "spent_month": _spent_since(_month_start(now)),
            "month": now.strftime("%b"),
        },
    )


@documented("desk", gives=shapes.DeskShape)
@api_view(["GET"])
def desk(request: Request) -> Response:
    """The docket of briefs, what happened lately, and the month's spend by day."""
    start = _month_start(timezone.now())
    days = (
        Output.every.filter(created_at__gte=start)
        .annotate(day=ExtractDay("created_at"))
        .values("day")
        .annotate(nano=Sum("cost_new"))
        .order_by("day")
    )
    rows: list[dict[str, Any]] = [{"day": d["day"], "nano": d["nano"] or 0} for d in days]
    return given(
        shapes.DeskShape,
        {
            "briefs": [docket_entry(b) for b in Brief.objects.filter(archived=False)],
            "lately": rows_of(lines_of(Wanted()), LATELY),
            "month": start.strftime("%B"),
            "spend_days": rows,
            "spent_month": sum(r["nano"] for r in rows),
        },
    )


@documented("ledger", gives=shapes.LedgerShape)
@api_view(["GET"])
def ledger(request: Request) -> Response:
    """Ledger lines, newest first, narrowed by brief, what, who, since, until, model, setting, words.

    `before` the id of the last row reads on.
    """
    _, limit = page_of(request, limit=100)
    rows = rows_of(lines_of(wanted_of(request.query_params)), limit + 1)
    models = Model.objects.order_by("name").values_list("name", flat=True).distinct()
    return given(
        shapes.LedgerShape,
        {
            "lines": rows[:limit],
            "more": len(rows) > limit,
            "models": list(models),
            **choices(),
        },
    )


@documented("spend", gives=shapes.SpendRow(many=True))
@api_view(["GET"])
def spend(request: Request) -> Response:
    """What was newly spent, by month, brief and model, the newest month first."""
    return given(shapes.SpendRow, spend_rows(), many=True)
