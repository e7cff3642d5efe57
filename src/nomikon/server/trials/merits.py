"""Price and time of a trial's arms with intervals, as they are shown."""

from __future__ import annotations

from typing import Any

from nomikon.core.results import good_from, merits
from nomikon.server.trials.models import Trial
from nomikon.server.trials.results import results_of


def merits_of(trial: Trial) -> dict[str, Any]:
    """For each arm what a good answer costs and how long answers take."""
    table = results_of(trial)
    return {
        "good_from": good_from(table.card),
        "arms": [
            {
                **m.__dict__,
                "arm": int(m.arm),
                "cost_per_good": m.cost_per_good.__dict__,
                "median_ms": m.median_ms.__dict__,
                "slow_ms": m.slow_ms.__dict__,
                "gates": [{"measure": name, "rate": rate} for name, rate in m.gates],
            }
            for m in merits(table)
        ],
    }
