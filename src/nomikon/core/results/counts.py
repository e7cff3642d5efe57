"""What an arm's outputs were and what they took: counts, tokens, price, time."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np

from nomikon.core.results.table import Floats, ResultTable, remembered
from nomikon.core.trials import CUT, DECLINED, EMPTY, FAILED


@dataclass(frozen=True)
class ArmCounts:
    """All outputs of an arm, worked examples, too: what was asked is paid for.

    cost: billionths of the currency, judgements left out; None where nothing has a price.
    latency_ms: the median. failures: how many failed calls by their code.
    """

    n: int
    n_missing: int
    cut: int
    declined: int
    empty: int
    failed: int
    failures: dict[str, int]
    latency_ms: float | None
    cost: int | None
    cost_per_1000: int | None
    tokens_in: int
    tokens_out: int


@remembered
def counts_of(table: ResultTable) -> dict[str, ArmCounts]:
    """Counts of every arm of a table."""
    return {name: _counts(table, place) for place, name in enumerate(table.arms)}


def _counts(table: ResultTable, place: int) -> ArmCounts:
    rows = np.flatnonzero(table.arm == place)
    outcomes = Counter(table.outcome[i] for i in rows)
    failures = Counter(table.failure[i] for i in rows if table.outcome[i] == FAILED)
    cost, latency = _known(table.cost[rows]), _known(table.latency_ms[rows])
    return ArmCounts(
        int(rows.size),
        int(np.isnan(table.scores["total"][rows]).sum()),
        outcomes[CUT],
        outcomes[DECLINED],
        outcomes[EMPTY],
        outcomes[FAILED],
        dict(failures),
        float(np.median(latency)) if latency.size else None,
        int(cost.sum()) if cost.size else None,
        round(1000 * float(cost.sum()) / cost.size) if cost.size else None,
        int(_known(table.tokens_in[rows]).sum()),
        int(_known(table.tokens_out[rows]).sum()),
    )


def _known(values: Floats) -> Floats:
    found: Floats = values[~np.isnan(values)]
    return found
