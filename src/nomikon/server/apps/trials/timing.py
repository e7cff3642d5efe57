"""About how long a planned trial will take, from how long its models took before."""

from __future__ import annotations

from collections import defaultdict
from statistics import median

from nomikon.server.apps.connections.models import Connection
from nomikon.server.apps.connections.spec import concurrency_of
from nomikon.server.apps.trials.models import Output
from nomikon.server.apps.trials.planning import Plan

# So many of a model's newest answers tell how long it takes.
LOOKED_AT = 200


def seconds_needed(plan: Plan) -> float | None:
    """The slowest connection decides; None where a model has never answered.

    Calls of one connection share its places, and its requests a minute where it has such a limit.
    What is in the store takes no time and is not known here for large plans.
    """
    busy: dict[Connection, float] = defaultdict(float)
    calls: dict[Connection, int] = defaultdict(int)
    times: dict[int, float | None] = {}
    # Each answer's twins are asked one after the other, of the same model.
    own = sum(row.calls for row in plan.estimate.arms)
    times_each = 1 + plan.beside.twins / own if own else 1
    for arm, row in zip(plan.arms, plan.estimate.arms, strict=True):
        if arm.model.pk not in times:
            times[arm.model.pk] = _usual_ms(arm.model.pk)
        usual = times[arm.model.pk]
        if usual is None:
            return None
        busy[arm.model.connection] += times_each * row.calls * usual / 1000
        calls[arm.model.connection] += round(times_each * row.calls)
    needed = [
        max(seconds / _width(c, plan), 60 * calls[c] / c.requests_per_minute)
        if c.requests_per_minute
        else seconds / _width(c, plan)
        for c, seconds in busy.items()
    ]
    return max(needed, default=None)


def _width(connection: Connection, plan: Plan) -> int:
    """Calls at a time that its models were found to bear, together no more than it may be asked."""
    most = concurrency_of(connection)
    asked = {a.model.pk: a.model.borne for a in plan.arms if a.model.connection == connection}
    return max(1, min(most, sum(n or most for n in asked.values())))


def _usual_ms(model: int) -> float | None:
    found = (
        Output.objects.filter(arm__model=model, failure="", latency_ms__isnull=False)
        .order_by("-id")
        .values_list("latency_ms", flat=True)[:LOOKED_AT]
    )
    known = [ms for ms in found if ms is not None]
    return median(known) if known else None
