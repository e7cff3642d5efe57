"""A trial's outputs as the table that every figure of it is read off, made once and kept."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache

import numpy as np
from django.db.models import Count, Max
from django.utils import timezone
from numpy.typing import NDArray

from nomikon.core.measures import TOTAL, read_scorecard
from nomikon.core.results import ResultRow, ResultTable, compared, table_of
from nomikon.core.stats import ComparisonResult
from nomikon.server.apps.trials.cases import example_cases, sources_of
from nomikon.server.apps.trials.models import COMPLETE, Arm, Output, ScoreRow, Trial
from nomikon.server.apps.trials.repeated import level_of
from nomikon.server.apps.trials.reworking import bring_figures_up

# A trial of 100,000 outputs takes some 10 MB; those that are looked at are few.
MOST_KEPT = 24


def results_of(trial: Trial) -> ResultTable:
    """Its outputs by its own scorecard and today's rules; rows of former rules are reworked first.

    The same table, with all that was worked out from it, as long as nothing has come in or changed.
    """
    bring_figures_up(trial, timezone.now())
    found = Output.objects.filter(arm__trial=trial).aggregate(newest=Max("id"), n=Count("id"))
    return _table(
        trial.pk,
        found["newest"] or 0,
        found["n"],
        # The same outputs are read otherwise once all are in.
        trial.state == COMPLETE,
        trial.scorecard_id,
        trial.scores_changed,
        trial.arms.exclude(dropped=None).count(),
        level_of(trial),
    )


@lru_cache(maxsize=MOST_KEPT)
def _table(
    trial_id: int,
    newest: int,
    n: int,
    complete: bool,
    scorecard: int,
    changed: int,
    n_dropped: int,
    alpha: float,
) -> ResultTable:
    """The parameters are what the table is read from: where one of them differs, so may the table."""
    trial = Trial.objects.select_related("scorecard").get(pk=trial_id)
    arms = list(trial.arms.order_by("position").values_list("id", "dropped"))
    card = read_scorecard(trial.scorecard.document)
    stored = ScoreRow.objects.filter(output__arm__trial=trial, scorecard=scorecard)

    def by_measure(keys: Sequence[int]) -> Mapping[str, NDArray[np.float64]]:
        packed = dict(stored.values_list("output_id", "packed"))
        return {
            name: np.array([_score(packed.get(k), name) for k in keys], dtype=np.float64)
            for name in card.names
        }

    totals = {pk: (t, u) for pk, t, u in stored.values_list("output_id", "total", "ungated")}
    return table_of(
        _rows(trial, totals),
        card,
        arms=[str(pk) for pk, _ in arms],
        complete=complete,
        by_measure=by_measure,
        examples=[str(pk) for pk in example_cases(trial)],
        dropped=[str(pk) for pk, dropped in arms if dropped is not None],
        alpha=alpha,
        reference=None if trial.reference_id is None else str(trial.reference_id),
        sources=sources_of(trial),
    )


def _rows(
    trial: Trial, totals: Mapping[int, tuple[float | None, float | None]]
) -> Iterator[ResultRow]:
    columns = (
        "id",
        "arm_id",
        "revision_id",
        "repeat",
        "outcome",
        "failure",
        "latency_ms",
        "cost_nominal",
        "tokens_in",
        "tokens_out",
    )
    outputs = Output.objects.filter(arm__trial=trial).order_by("arm__position", "id")
    for row in outputs.values_list(*columns).iterator(chunk_size=2000):
        pk, arm, case = row[:3]
        yield ResultRow._make((pk, str(arm), str(case), *row[3:], *totals.get(pk, (None, None))))


def _score(packed: Mapping[str, Sequence[float | None]] | None, measure: str) -> float:
    value = (packed or {}).get(measure, (None,))[0]
    return math.nan if value is None else value


def figures_of(
    trial: Trial, against: Arm | None = None, measure: str = TOTAL
) -> ComparisonResult | None:
    """Means, intervals and comparisons of a trial's arms; None before the first output."""
    return compared(results_of(trial), measure, str(against.pk) if against else None)
