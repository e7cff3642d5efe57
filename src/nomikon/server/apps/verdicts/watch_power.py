"""What a watch will be able to see, before it begins."""

from __future__ import annotations

import math

import numpy as np

from nomikon.core.measures import TOTAL, read_scorecard
from nomikon.core.results import watched_in
from nomikon.core.stats.drift import cases_for_fall, fewest_cases, smallest_fall
from nomikon.server.apps.trials.results import results_of
from nomikon.server.apps.verdicts.models import Verdict
from nomikon.server.apps.verdicts.reads import WatchPowerShape

# A fall that most would want to hear of.
OF_INTEREST = 0.1


def spread_of_repeats(verdict: Verdict) -> tuple[float, bool]:
    """Standard deviation of a case's score between two runs of the adopted arm, and whether it was
    measured: from the repeats of its trial, else taken to be that of its cases."""
    table = results_of(verdict.arm.trial)
    rows = table.counted & (table.arm == table.arms.index(str(verdict.arm_id)))
    scores, cases = table.column(TOTAL)[rows], table.case[rows]
    known = ~np.isnan(scores)
    scores, cases = scores[known], cases[known]
    counts = np.bincount(cases)
    again = int((counts[counts > 1] - 1).sum())
    if again:
        means = np.bincount(cases, weights=scores) / np.maximum(counts, 1)
        within = float(((scores - means[cases]) ** 2).sum()) / again
        # Two runs, each the mean of as many repeats.
        return math.sqrt(2 * within / max(1, verdict.arm.trial.repeats)), True
    return (float(scores.std(ddof=1)) if scores.size > 1 else 0.0), False


def watch_power(verdict: Verdict, cases: int, planned: int) -> WatchPowerShape:
    """The smallest fall that so many cases and checks see, and how many cases one of 0.1 needs."""
    spread, measured = spread_of_repeats(verdict)
    things = len(watched_in(read_scorecard(verdict.arm.trial.scorecard.document)))
    fewest = fewest_cases(planned, things)
    if cases < fewest:
        words = (
            f"With {cases} cases and {planned} checks no change could ever raise an alarm, however "
            f"great: {fewest} cases at least are needed."
        )
        return {"words": words, "smallest_fall": None, "fewest": fewest, "cases_for_tenth": None}
    # Answers that never varied may yet vary: nothing finer than a case's hundredth is promised.
    own = max(spread, 0.01)
    fall = smallest_fall(own, cases, planned, things)
    needed = cases_for_fall(own, OF_INTEREST, planned, things)
    by = (
        "by how repeats of a case varied"
        if measured
        else "taking repeats to vary as cases do, since its trial had one of each"
    )
    told = (
        "No fall is seen in 80 of 100 watches"
        if fall is None
        else f"A check sees a fall of {fall:.3f} or more in 80 of 100 watches"
    )
    words = f"{told}, {by}; one of {OF_INTEREST:g} takes {needed} cases."
    return {"words": words, "smallest_fall": fall, "fewest": fewest, "cases_for_tenth": needed}
