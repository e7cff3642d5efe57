"""How connections are doing, as the worker sees it: minute by minute, and now."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta

from django.db import transaction

from nomikon.models.breaker import CLOSED
from nomikon.models.traffic import RoadState, Tally
from nomikon.server.apps.connections.models import Connection, Health, Model, Standing
from nomikon.server.apps.ledger.write import emit

KEPT = timedelta(days=14)


@transaction.atomic
def record_health(tallies: Mapping[str, Tally], *, now: datetime) -> None:
    """Add what came of the attempts since the last time to this minute's record."""
    minute = now.replace(second=0, microsecond=0)
    known = set(Connection.objects.values_list("pk", flat=True))
    for connection, tally in tallies.items():
        if int(connection) not in known:
            continue
        row, _ = Health.objects.get_or_create(connection_id=int(connection), minute=minute)
        row.answered += tally.answered
        row.latency_ms += tally.latency_ms
        for code, count in tally.failures.items():
            row.failures[code] = row.failures.get(code, 0) + count
        row.save()
    Health.objects.filter(minute__lt=now - KEPT).delete()


@transaction.atomic
def record_standing(state: RoadState, *, now: datetime) -> None:
    """Keep how a connection is treated now and what its models bear; tell pages that show it."""
    if not Connection.objects.filter(pk=int(state.connection)).exists():
        return
    for model, borne in state.borne.items():
        Model.objects.filter(connection_id=int(state.connection), name=model).update(borne=borne)
    if state.state == CLOSED:
        Standing.objects.filter(connection_id=int(state.connection)).delete()
    else:
        look = state.next_look_s
        row = Standing.objects.filter(connection_id=int(state.connection)).first()
        since = row.since if row and row.state != "slowed" and state.state != "slowed" else now
        Standing.objects.update_or_create(
            connection_id=int(state.connection),
            defaults={
                "state": state.state,
                "reason": state.reason,
                "lanes": {name: lane.__dict__ for name, lane in state.lanes.items()},
                "since": since,
                "next_look_at": None if look is None else now + timedelta(seconds=look),
            },
        )
    emit(f"connection:{state.connection}", "standing", {"state": state.state}, now=now)


def forget_standings() -> None:
    """A worker that starts knows nothing yet against any server."""
    Standing.objects.all().delete()
