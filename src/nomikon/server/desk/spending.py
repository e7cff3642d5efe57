"""What was newly spent, by month, brief and model. Every call counts once, where it was asked."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.db.models import F, Q, Sum
from django.db.models.functions import Coalesce, TruncMonth

from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.ledger.models import Line, SpentDay
from nomikon.server.apps.ledger.reads import SpendRow
from nomikon.server.apps.ledger.write import TOLD_BEFORE
from nomikon.server.apps.trials.models import Call

SEVERAL = "several models at once"


def spent_by_day(since: date) -> list[dict[str, Any]]:
    """Days with a spend from this one on: {day of the month, nano, simulated}, told apart."""
    rows = SpentDay.objects.filter(day__gte=since).values_list("day", "nano", "simulated_nano")
    return [{"day": day.day, "nano": all_ - own, "simulated": own} for day, all_, own in rows]


def spend_rows() -> list[SpendRow]:
    """Newest month first, then the dearest; simulated models' rows say so. A line without a brief
    tests a model."""
    simulated = {m.name for m in Model.objects.select_related("connection") if m.is_simulated}
    calls = (
        Call.objects.filter(Q(reused_from=None, cost__gt=0) | Q(wasted_cost__gt=0))
        .annotate(
            month=TruncMonth("answered_at"),
            brief=F("output__arm__trial__brief"),
            name=F("output__arm__trial__brief__name"),
            model=Coalesce("asked_model__name", "output__arm__model__name"),
        )
        .order_by()
        .values("month", "brief", "name", "model")
        .annotate(cost=Sum("cost", filter=Q(reused_from=None)), wasted=Sum("wasted_cost"))
    )
    sums: dict[tuple[Any, Any, str, str, bool], int] = {}
    for c in calls:
        key = (c["month"], c["brief"], c["name"], c["model"], c["model"] in simulated)
        sums[key] = sums.get(key, 0) + (c["cost"] or 0) + (c["wasted"] or 0)
    single = (
        Line.objects.filter(cost_nano__gt=0)
        .exclude(what=TOLD_BEFORE)
        .annotate(month=TruncMonth("at"))
        .order_by()
        .values_list("month", "brief", "brief__name", "facts", "cost_nano", "simulated_nano")
    )
    for month, brief, name, facts, cost, part in single.iterator():
        models = facts.get("models") or [facts.get("model") or facts.get("name") or "unknown"]
        model = models[0] if len(models) == 1 else SEVERAL
        for is_simulated, own in ((False, (cost or 0) - part), (True, part)):
            key = (month, brief, name or "Test calls", model, is_simulated)
            sums[key] = sums.get(key, 0) + own
    rows: list[SpendRow] = [
        {
            "month": m.strftime("%Y-%m"),
            "brief": b,
            "name": n,
            "model": model,
            "cost": cost,
            "simulated": is_simulated,
        }
        for (m, b, n, model, is_simulated), cost in sums.items()
        if cost
    ]
    rows.sort(key=lambda r: -r["cost"])
    rows.sort(key=lambda r: r["month"], reverse=True)
    return rows
