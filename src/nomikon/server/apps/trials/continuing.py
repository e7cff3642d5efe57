"""What continuing answers that are cut will take: by how often this model's answers were cut before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from nomikon.core.trials import CUT, cost_nano
from nomikon.core.trials.plan import Estimate
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.trials.models import Call, Output

# So many of a model's newest answers tell how often it is cut.
LOOKED_AT = 200


def with_continuations(figures: Estimate, models: Sequence[Model], most: int) -> Estimate:
    """The estimate with the calls that ask for the rest of cut answers, at most `most` each.

    models: of the arms, in their order. A continuation reads the request and the answer so far and
    writes about as much again. Nothing is added for a model of which no answer is stored.
    """
    if not most:
        return figures
    rows = []
    calls = tokens_in = tokens_out = cost = 0
    for row, model in zip(figures.arms, models, strict=True):
        more = round(row.calls * _cut_share(model) * most)
        each_in, each_out = (n // max(1, row.calls) for n in (row.tokens_in, row.tokens_out))
        own_in, own_out = more * (each_in + each_out), more * each_out
        own = cost_nano(own_in, own_out, model.price_in_nano, model.price_out_nano) or 0
        rows.append(
            replace(
                row,
                calls=row.calls + more,
                tokens_in=row.tokens_in + own_in,
                tokens_out=row.tokens_out + own_out,
                cost=None if row.cost is None else row.cost + own,
            )
        )
        calls, tokens_in, tokens_out = calls + more, tokens_in + own_in, tokens_out + own_out
        cost += own
    return replace(
        figures,
        arms=rows,
        calls=figures.calls + calls,
        tokens_in=figures.tokens_in + tokens_in,
        tokens_out=figures.tokens_out + tokens_out,
        cost=None if figures.cost is None else figures.cost + cost,
    )


def _cut_share(model: Model) -> float:
    """Of the newest answers of a model, the share that was cut, continued ones too."""
    found = list(
        Output.objects.filter(arm__model=model, failure="")
        .order_by("-id")
        .values_list("id", "outcome")[:LOOKED_AT]
    )
    if not found:
        return 0.0
    ids = [pk for pk, _ in found]
    continued = set(
        Call.objects.filter(output__in=ids, continues=True, part="answer").values_list(
            "output", flat=True
        )
    )
    return sum(outcome == CUT or pk in continued for pk, outcome in found) / len(found)
