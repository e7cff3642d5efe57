"""How far token estimates of a model were off so far."""

from __future__ import annotations

from nomikon.core.rules import ESTIMATE_RULE
from nomikon.core.trials import Calibration
from nomikon.server.apps.connections.models import TokenRecord

DIRECTIONS = ("in", "out")


def calibrations_of(model_id: int) -> dict[str, Calibration]:
    """What is known of a model's token counts, by direction."""
    found = {d: Calibration() for d in DIRECTIONS}
    # What was learnt of a former estimate says nothing of today's: it is learnt anew.
    for row in TokenRecord.objects.filter(model_id=model_id, rule=ESTIMATE_RULE):
        found[row.direction] = Calibration(row.n, row.estimated, row.reported, row.missed)
    return found
