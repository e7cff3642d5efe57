"""Price and time of a trial's arms with intervals: cost per good answer, latency at two percentiles."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np

from nomikon.core.measures import TOTAL, read_scorecard
from nomikon.core.stats.figures_of_merit import cost_per_good, percentile
from nomikon.core.stats.signflip import TIE
from nomikon.server.trials.board import state_key
from nomikon.server.trials.models import Output, ScoreRow, Trial


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
    rows: dict[int, list[tuple[int, int | None, float | None, bool]]] = {}
    found = Output.objects.filter(arm__trial=trial).values_list(
        "id", "arm_id", "revision_id", "cost_nominal", "latency_ms"
    )
    for pk, arm, revision, cost, latency in found.iterator():
        total = scored.get(pk)
        good = total is not None and total >= least - TIE
        rows.setdefault(arm, []).append((revision, cost, latency, good))
    return [{"arm": arm, **_of_arm(own)} for arm, own in sorted(rows.items())]


def _of_arm(rows: list[tuple[int, int | None, float | None, bool]]) -> dict[str, Any]:
    place = {r: i for i, r in enumerate(dict.fromkeys(r for r, *_ in rows))}
    costs, good = np.zeros(len(place)), np.zeros(len(place))
    priced = [r for r in rows if r[1] is not None]
    for revision, cost, _, is_good in priced:
        costs[place[revision]] += cost or 0
        good[place[revision]] += is_good
    timed = [(r[2], place[r[0]]) for r in rows if r[2] is not None]
    values = np.array([t for t, _ in timed], dtype=np.float64)
    owner = np.array([c for _, c in timed], dtype=np.int64)
    none = {"value": None, "low": None, "high": None, "why_null": "it has no price"}
    return {
        "n_good": int(sum(r[3] for r in rows)),
        "n": len(rows),
        "cost_per_good": cost_per_good(costs, good).__dict__ if priced else none,
        "median_ms": percentile(values, owner, 0.5).__dict__,
        "slow_ms": percentile(values, owner, 0.95).__dict__,
    }
