"""Price and time of a trial's arms with intervals, as they are shown."""

from __future__ import annotations

from nomikon.core.results import good_from, merits
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.trials.reads import MeritFigure, MeritsShape
from nomikon.server.apps.trials.results import results_of
from nomikon.server.typed import copied


def merits_of(trial: Trial) -> MeritsShape:
    """For each arm what a good answer costs and how long answers take."""
    table = results_of(trial)
    return {
        "good_from": good_from(table.card),
        "arms": [
            {
                "arm": int(m.arm),
                "came_first": m.came_first,
                "n": m.n,
                "n_good": m.n_good,
                "cost_per_good": copied(MeritFigure, m.cost_per_good),
                "median_ms": copied(MeritFigure, m.median_ms),
                "slow_ms": copied(MeritFigure, m.slow_ms),
                "ungated": m.ungated,
                "gates": [{"measure": name, "rate": rate} for name, rate in m.gates],
            }
            for m in merits(table)
        ],
    }
