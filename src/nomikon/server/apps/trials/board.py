"""What a trial shows: its arms with figures, and its cells."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Iterable
from typing import Any

from django.db.models import Sum

from nomikon.core.measures import TOTAL
from nomikon.core.results import (
    ArmCounts,
    ResultTable,
    arm_figures,
    counts_of,
    means_as_zero,
    thresholds,
)
from nomikon.core.results.parts import LONGEST_LABEL
from nomikon.core.stats import ArmSummary
from nomikon.core.stats.words import unseen_in_words
from nomikon.engine.units import ANSWER
from nomikon.server.apps.trials.cases import cases_of, example_cases
from nomikon.server.apps.trials.facts import arm_facts, letter, names_of, trial_facts
from nomikon.server.apps.trials.headline import ahead_in
from nomikon.server.apps.trials.judged import count_unjudged
from nomikon.server.apps.trials.looks import held_out_looks
from nomikon.server.apps.trials.models import COMPLETE, RUNNING, Call, Trial
from nomikon.server.apps.trials.racing import spared_outputs
from nomikon.server.apps.trials.results import results_of
from nomikon.server.apps.trials.reworking import last_reworked
from nomikon.server.apps.trials.settling import doubtful_of
from nomikon.server.apps.trials.unscored import unscored_of

# However many pages watch a running trial, its figures are worked out once in this time.
FRESH_S = 1.0
_recent: dict[int, tuple[float, dict[str, Any]]] = {}
_working_out = threading.Lock()


def summary_of(trial: Trial) -> dict[str, Any]:
    """A trial with its arms' figures, counts, cost and latency.

    Of a running trial the figures may be a second old; what it is and how it
    stands is always as it is now.
    """
    if trial.state != RUNNING:
        return _summary(trial)
    with _working_out:
        at, found = _recent.get(trial.pk, (float("-inf"), {}))
        if time.monotonic() - at > FRESH_S:
            found = _summary(trial)
            for other in [t for t, (then, _) in _recent.items() if time.monotonic() - then > 60]:
                del _recent[other]
            _recent[trial.pk] = (time.monotonic(), found)
    return {**found, **trial_facts(trial)}


def _summary(trial: Trial) -> dict[str, Any]:
    arms = list(trial.arms.select_related("version", "model__connection"))
    table = results_of(trial)
    counts, means = counts_of(table), arm_figures(table)
    held, as_zero = thresholds_of(table), means_as_zero(table)
    names = names_of(trial.pk)
    letters = {a.pk: letter(a.position) for a in arms}
    return {
        **trial_facts(trial),
        "looks": held_out_looks(trial.dataset_version.dataset),
        "examples": len(example_cases(trial)),
        "reworked": last_reworked(trial),
        "spared": spared_outputs(trial) if trial.racing else 0,
        "done": len(table.keys),
        "reused": Call.objects.filter(output__arm__trial=trial, reused_from__isnull=False).count(),
        "simulated_spent": trial.simulated_nano,
        "spent": trial.spent_nano if any(a.price_in_nano is not None for a in arms) else None,
        "nominal": _total(c.cost for c in counts.values()),
        "beside": Call.objects.filter(output__arm__trial=trial, output__superseded_by=None)
        .exclude(part=ANSWER)
        .aggregate(sum=Sum("cost"))["sum"]
        or 0,
        "connections": sorted({a.model.connection_id for a in arms if a.model}),
        "unjudged": count_unjudged(trial),
        "doubtful": doubtful_of(
            trial, {int(name): (m.mean, counts[name].n) for name, m in means.items()}
        ),
        "unscored": unscored_of(trial),
        "measures": list(table.card.names),
        "judges": sorted({m.model for _, m in table.card.judged}),
        "arms": [
            {
                **arm_facts(a, names),
                **_arm_figures(counts[str(a.pk)], means[str(a.pk)]),
                "ahead_of": sorted(ahead_in(trial, a)) if trial.state == COMPLETE else [],
                "mean_as_zero": as_zero.get(str(a.pk)),
                "dropped": a.dropped and {**a.dropped, "against": letters[a.dropped["against"]]},
                "thresholds": held.get(a.pk, []),
            }
            for a in arms
        ],
    }


def thresholds_of(table: ResultTable) -> dict[int, list[dict[str, Any]]]:
    """For each arm what its scorecard calls good enough: met, missed or unsure, by the interval."""
    found: dict[int, list[dict[str, Any]]] = {}
    for threshold in table.card.thresholds:
        for row in thresholds(table, threshold.measure, threshold.limits):
            told = {k: v for k, v in row.__dict__.items() if k not in ("arm", "why_null")}
            found.setdefault(int(row.arm), []).append(told)
    return found


def _total(values: Iterable[int | None]) -> int | None:
    known = [v for v in values if v is not None]
    return sum(known) if known else None


_OF_MEAN = ("n_cases", "mean", "low", "high", "method", "n_sources", "effective_cases")


def _arm_figures(counts: ArmCounts, mean: ArmSummary) -> dict[str, Any]:
    own = {k: v for k, v in counts.__dict__.items() if k != "n_missing"}
    return (
        own
        | {k: getattr(mean, k) for k in _OF_MEAN}
        | {"unseen": unseen_in_words(mean.n_lost, mean.n_cases, mean.unseen_loss)}
    )


def cells_of(trial: Trial) -> dict[str, Any]:
    """The matrix: cases in the dataset's order, and every output, column by column."""
    table = results_of(trial)
    totals = table.column(TOTAL)
    cases = cases_of(trial).values_list(
        "revision_id",
        "revision__case__number",
        "revision__case__own_id",
        "revision__inputs",
        "revision__tags",
        "revision__reference",
    )
    revisions = [int(name) for name in table.cases]
    return {
        "cases": [
            {
                "revision": rev,
                "number": number,
                "id": own,
                "text": gist(inputs),
                "tags": tags,
                "label": label_in(reference),
            }
            for rev, number, own, inputs, tags, reference in cases
        ],
        "outputs": {
            "output": [int(key) for key in table.keys],
            "arm": table.arm.tolist(),
            "revision": [revisions[c] for c in table.case],
            "repeat": table.repeat.tolist(),
            "outcome": list(table.outcome),
            "total": [None if math.isnan(t) else float(t) for t in totals],
        },
    }


def label_in(reference: str | None) -> str:
    """A reference as a label; "" where it is longer than one."""
    text = (reference or "").strip()
    return text if len(text) <= LONGEST_LABEL and "\n" not in text else ""


def gist(inputs: dict[str, Any], limit: int = 90) -> str:
    """The first input's beginning: enough to tell a case from the next."""
    longest = max((str(v) for v in inputs.values() if v is not None), key=len, default="")
    text = " ".join(longest.split())
    return text if len(text) <= limit else text[: limit - 1] + "…"
