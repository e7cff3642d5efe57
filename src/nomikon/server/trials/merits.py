"""Price and time of a trial's arms with intervals: cost per good answer, latency at two percentiles."""

from __future__ import annotations

from collections.abc import Collection
from functools import lru_cache
from typing import Any

import numpy as np

from nomikon.core.measures import TOTAL, read_scorecard
from nomikon.core.stats.figures_of_merit import Figure, cost_per_good, percentiles
from nomikon.core.stats.signflip import TIE
from nomikon.server.trials.board import UNGATED, figures_of, state_key
from nomikon.server.trials.cases import example_cases
from nomikon.server.trials.models import Output, ScoreRow, Trial

NO_GATES: dict[str, Any] = {"ungated": None, "gates": []}
UNPRICED = Figure(None, None, None, "it has no price")


def good_from(trial: Trial) -> float:
    """The least total of a good answer: what the scorecard asks of the total, else all right."""
    for threshold in read_scorecard(trial.scorecard.document).thresholds:
        if threshold.measure == TOTAL and "at_least" in threshold.limits:
            return float(threshold.limits["at_least"])
    return 1.0


def merits_of(trial: Trial) -> dict[str, Any]:
    """For each arm what a good answer costs and how long answers take."""
    state = (trial.pk, *state_key(trial), trial.scorecard_id, trial.scores_changed)
    return {"good_from": good_from(trial), "arms": _merits(*state)}


def _gates(trial: Trial, shown: Collection[int]) -> dict[int, dict[str, Any]]:
    """For each arm the share of answers that pass each gate, and the mean had no gate failed."""
    names = [e.name for e in read_scorecard(trial.scorecard.document).entries if e.gate]
    if not names:
        return {}
    ungated = figures_of(trial, measure=UNGATED)
    means = {int(a.arm): a.mean for a in ungated.arms} if ungated else {}
    passed: dict[int, dict[str, list[bool]]] = {}
    rows = ScoreRow.objects.filter(output__arm__trial=trial, scorecard=trial.scorecard_id)
    told = rows.values_list("output__arm_id", "output__revision_id", "packed")
    for arm, revision, packed in told.iterator():
        if revision in shown:
            continue
        own = passed.setdefault(arm, {})
        for name in names:
            if name in packed and packed[name][0] is not None:
                own.setdefault(name, []).append(packed[name][0] >= 1 - TIE)
    return {
        arm: {
            "ungated": means.get(arm),
            "gates": [
                {"measure": n, "rate": sum(own[n]) / len(own[n])} for n in names if own.get(n)
            ],
        }
        for arm, own in passed.items()
    }


@lru_cache(maxsize=64)
def _merits(
    trial_id: int, newest: int, n: int, scorecard: int, changed: int
) -> list[dict[str, Any]]:
    trial = Trial.objects.select_related("scorecard").get(pk=trial_id)
    least = good_from(trial)
    scored = dict(
        ScoreRow.objects.filter(output__arm__trial=trial, scorecard=trial.scorecard_id).values_list(
            "output_id", "total"
        )
    )
    arms = list(trial.arms.order_by("position").values_list("id", flat=True))
    column = {pk: i for i, pk in enumerate(arms)}
    found = list(
        Output.objects.filter(arm__trial=trial).values_list(
            "id", "arm_id", "revision_id", "cost_nominal", "latency_ms"
        )
    )
    shown = example_cases(trial)
    found = [row for row in found if row[2] not in shown]
    place = {r: i for i, r in enumerate(dict.fromkeys(row[2] for row in found))}
    costs, good = (np.zeros((len(place), len(arms))) for _ in range(2))
    times: list[list[tuple[float, int]]] = [[] for _ in arms]
    counts = [[0, 0] for _ in arms]
    priced = [False] * len(arms)
    for pk, arm, revision, cost, latency in found:
        at, case = column[arm], place[revision]
        total = scored.get(pk)
        is_good = total is not None and total >= least - TIE
        counts[at][0] += 1
        counts[at][1] += is_good
        if cost is not None:
            priced[at] = True
            costs[case, at] += cost
            good[case, at] += is_good
        if latency is not None:
            times[at].append((latency, case))
    prices = cost_per_good(costs, good)
    quick = percentiles(
        [np.array([t for t, _ in own], dtype=np.float64) for own in times],
        [np.array([c for _, c in own], dtype=np.int64) for own in times],
        len(place),
        (0.5, 0.95),
    )
    figures = figures_of(trial)
    first = {int(a.arm): a.came_first for a in figures.arms} if figures else {}
    gates = _gates(trial, shown)
    return [
        {
            "arm": pk,
            "came_first": first.get(pk),
            **gates.get(pk, NO_GATES),
            "n": counts[i][0],
            "n_good": counts[i][1],
            "cost_per_good": (prices[i] if priced[i] else UNPRICED).__dict__,
            "median_ms": quick[i][0].__dict__,
            "slow_ms": quick[i][1].__dict__,
        }
        for i, pk in enumerate(arms)
    ]
