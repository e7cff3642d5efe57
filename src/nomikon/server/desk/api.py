"""Desk, session and ledger."""

from __future__ import annotations

from datetime import datetime

from django.conf import settings
from django.middleware.csrf import get_token
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.digits import whole_number
from nomikon.core.errors import PromptError
from nomikon.core.prompts.lineage import clause_history
from nomikon.server.apps.briefs.lineage import lineage
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.briefs.numbered import version_or_404
from nomikon.server.apps.briefs.reads import (
    ClauseEventShape,
)
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.ledger.reading import Wanted, choices, lines_of, rows_of, wanted_of
from nomikon.server.apps.ledger.reads import LedgerShape, LineShape, SpendDay, SpendRow
from nomikon.server.apps.ledger.takes import LedgerQuery
from nomikon.server.apps.trials.models import RUNNING, Trial, Worker
from nomikon.server.desk.docket import docket
from nomikon.server.desk.finding import found
from nomikon.server.desk.history import told_with_evidence
from nomikon.server.desk.overview import brief_detail
from nomikon.server.desk.reads import BriefDetail, DeskShape, DocketEntry, FoundShape, SessionShape
from nomikon.server.desk.spending import spend_rows, spent_by_day
from nomikon.server.desk.takes import FindQuery
from nomikon.server.link import MISSED_AFTER
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, page_of

LATELY = 8


def _month_start(now: datetime) -> datetime:
    return now.replace(day=1, hour=0, minute=0, second=0, microsecond=0)


def worker_state(now: datetime) -> str:
    """running, idle or stopped, by the worker's own sign of life."""
    worker = Worker.objects.filter(pk=1).first()
    if worker is None or now - worker.seen_at > MISSED_AFTER:
        return "stopped"
    return "running" if Trial.objects.filter(state=RUNNING).exists() else "idle"


@documented("session", gives=SessionShape)
@api_view(["GET"])
def session(request: Request) -> Response:
    """What every page needs: the token for writes, the worker's state, the month's spend."""
    now = timezone.now()
    days = spent_by_day(_month_start(now).date())
    return given(SessionShape)(
        {
            "csrf": get_token(request._request),
            "actor": actor_of(request),
            "currency": settings.CURRENCY,
            "worker": worker_state(now),
            "is_open": settings.IS_OPEN,
            "running_trials": Trial.objects.filter(state=RUNNING).count(),
            "spent_month": sum(row["nano"] for row in days),
            "simulated_month": sum(row["simulated"] for row in days),
            "month": now.strftime("%b"),
        },
    )


@documented("desk", gives=DeskShape)
@api_view(["GET"])
def desk(request: Request) -> Response:
    """The docket of briefs, what happened lately, and the month's spend by day."""
    start = _month_start(timezone.now())
    rows = spent_by_day(start.date())
    return given(DeskShape)(
        {
            "briefs": [copied(DocketEntry, row) for row in docket()],
            "lately": [copied(LineShape, x) for x in rows_of(lines_of(Wanted()), LATELY)],
            "month": start.strftime("%B"),
            "spend_days": [copied(SpendDay, row) for row in rows],
            "spent_month": sum(r["nano"] for r in rows),
            "simulated_month": sum(r["simulated"] for r in rows),
        },
    )


@documented("ledger", gives=LedgerShape, asks=LedgerQuery)
@api_view(["GET"])
def ledger(request: Request) -> Response:
    """Ledger lines, newest first, narrowed by brief, what, who, since, until, model, setting, words.

    `before` the id of the last row reads on.
    """
    _, limit = page_of(request, limit=100)
    rows = rows_of(lines_of(wanted_of(request.query_params)), limit + 1)
    models = Model.objects.order_by("name").values_list("name", flat=True).distinct()
    return given(LedgerShape)(
        copied(
            LedgerShape,
            choices(),
            lines=rows[:limit],
            more=len(rows) > limit,
            models=list(models),
        )
    )


@documented("find", gives=list[FoundShape], asks=FindQuery)
@api_view(["GET"])
def find(request: Request) -> Response:
    """Trials, cases and answers in which these words stand, or that have this number."""
    brief = request.query_params.get("brief", "")
    return given(list[FoundShape])(found(request.query_params.get("q", ""), whole_number(brief)))


@documented("spend", gives=list[SpendRow])
@api_view(["GET"])
def spend(request: Request) -> Response:
    """What was newly spent, by month, brief and model, the newest month first."""
    return given(list[SpendRow])(spend_rows())


@documented("clause_history", gives=list[ClauseEventShape])
@api_view(["GET"])
def history(request: Request, brief_id: int, number: int, clause: int) -> Response:
    """The version that brought a clause in, and each change of it since."""
    found = version_or_404(brief_id, number)
    try:
        events = clause_history(lineage(found.brief), number, clause)
    except KeyError as error:
        raise PromptError(f"v{number} has no clause {clause}", field="clause") from error
    return given(list[ClauseEventShape])(
        [copied(ClauseEventShape, e) for e in told_with_evidence(found.brief, events)]
    )


@documented("brief", gives=BriefDetail)
@api_view(["GET"])
def brief(request: Request, brief_id: int) -> Response:
    """The frame around a brief: stages, lineage, datasets, scorecard."""
    return given(BriefDetail)(
        copied(BriefDetail, brief_detail(get_object_or_404(Brief, pk=brief_id)))
    )
