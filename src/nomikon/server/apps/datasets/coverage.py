"""How a dataset covers what its cases should, as it is shown."""

from __future__ import annotations

from nomikon.core.cases.proposing import (
    Coverage,
)
from nomikon.server.apps.datasets.reads import CoverageShape


def coverage_told(found: Coverage) -> CoverageShape:
    return {
        "dimensions": [
            {"name": name, "values": [{"value": v, "n": n} for v, n in counts.items()]}
            for name, counts in found.counts.items()
        ],
        "pairs": found.pairs,
        "pairs_possible": found.pairs_possible,
    }
