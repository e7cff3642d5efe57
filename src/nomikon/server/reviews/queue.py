"""What there is to read, in which order."""

from __future__ import annotations

from typing import Any

import numpy as np

from nomikon.core.errors import PlanError
from nomikon.core.trials import COMPLETE, FAILED
from nomikon.server.briefs.models import Brief
from nomikon.server.reviews.models import Mark
from nomikon.server.trials.models import Output, ScoreRow, Trial

# Nobody reads more in one sitting; the next reload brings further ones.
QUEUE = 300

RANDOM, LOW, UNSURE, ARMS_APART, MEASURES_APART = (
    "random",
    "low",
    "unsure",
    "arms-apart",
    "measures-apart",
)
ORDERS = (RANDOM, LOW, UNSURE, ARMS_APART, MEASURES_APART)


def reading_queue(
    brief: Brief,
    *,
    reader: str,
    trial: int | None = None,
    arm: int | None = None,
    order: str = RANDOM,
) -> dict[str, Any]:
    """Outputs of a trial (the newest complete one) in an order that its seed fixes.

    A random order is the default because only randomly drawn marks say
    anything about an arm as a whole; `drawn` tells whether this one is.
    Failures hold nothing to read. Raises PlanError for an unknown order.
    """
    if order not in ORDERS:
        raise PlanError(f"{order!r} is no order; allowed are {', '.join(ORDERS)}", field="order")
    trials = brief.trials.filter(state=COMPLETE).order_by("-number")
    chosen = trials.filter(pk=trial).first() if trial is not None else trials.first()
    listed = [{"id": t.pk, "number": t.number, "question": t.question} for t in trials]
    drawn = order == RANDOM and arm is None
    head = {"trials": listed, "order": order, "drawn": drawn}
    if chosen is None:
        return {"trial": None, "trial_number": None, "queue": [], "marked": 0, **head}
    outputs = Output.objects.filter(arm__trial=chosen).exclude(outcome=FAILED)
    if arm is not None:
        outputs = outputs.filter(arm=arm)
    rows = list(outputs.order_by("id").values_list("id", "revision_id"))
    marks = dict(
        Mark.objects.filter(output__arm__trial=chosen, reader=reader, current=True).values_list(
            "output_id", "judgement"
        )
    )
    told = [
        {"output": rows[i][0], "judgement": marks.get(rows[i][0])}
        for i in _ordered(chosen, rows, order)
    ]
    unread = [r for r in told if r["judgement"] is None]
    read = [r for r in told if r["judgement"] is not None]
    return {
        "trial": chosen.pk,
        "trial_number": chosen.number,
        "queue": [*read, *unread][: len(read) + QUEUE],
        "marked": len(read),
        **head,
    }


def _ordered(trial: Trial, rows: list[tuple[int, int]], order: str) -> list[int]:
    """Positions of the rows in the order asked for; chance decides among equals."""
    shuffled = [int(i) for i in np.random.default_rng(trial.seed).permutation(len(rows))]
    if order == RANDOM:
        return shuffled
    totals: dict[int, float] = {}
    spread: dict[int, float] = {}
    for pk, total, packed in ScoreRow.objects.filter(
        output__arm__trial=trial, scorecard=trial.scorecard_id
    ).values_list("output_id", "total", "packed"):
        if total is not None:
            totals[pk] = total
        values = [v for v, _ in packed.values() if v is not None]
        spread[pk] = float(np.std(values)) if len(values) > 1 else 0.0
    if order == ARMS_APART:
        cases: dict[int, list[float]] = {}
        for pk, case in rows:
            if pk in totals:
                cases.setdefault(case, []).append(totals[pk])
        apart = {c: float(np.ptp(v)) for c, v in cases.items()}
        # The answers to one case stand together, the case that parts the arms most first.
        return sorted(shuffled, key=lambda i: (-apart.get(rows[i][1], 0.0), rows[i][1]))
    key = {
        LOW: lambda pk: totals.get(pk, 2.0),
        UNSURE: lambda pk: abs(totals.get(pk, 2.0) - 0.5),
        MEASURES_APART: lambda pk: -spread.get(pk, 0.0),
    }[order]
    return sorted(shuffled, key=lambda i: key(rows[i][0]))
