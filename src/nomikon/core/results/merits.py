"""What a good answer costs and how long answers take, with intervals; gates one by one."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from nomikon.core.measures import TOTAL, Scorecard
from nomikon.core.results.figures import arm_figures
from nomikon.core.results.table import UNGATED, ResultTable, remembered
from nomikon.core.stats.figures_of_merit import Figure, cost_per_good, percentiles
from nomikon.core.stats.signflip import TIE

UNPRICED = Figure(None, None, None, "it has no price")


@dataclass(frozen=True)
class ArmMerits:
    """n, n_good: outputs and good ones. ungated: the mean had no gate failed, None without gates.

    gates: for each gate the share of answers that pass it. median_ms, slow_ms: the percentiles
    50 and 95 of the time. came_first: share of resamples in which the arm has the best mean.
    """

    arm: str
    came_first: float | None
    n: int
    n_good: int
    cost_per_good: Figure
    median_ms: Figure
    slow_ms: Figure
    ungated: float | None = None
    gates: list[tuple[str, float]] = field(default_factory=list)


def good_from(card: Scorecard) -> float:
    """The least total of a good answer: what the scorecard asks of the total, else all right."""
    for threshold in card.thresholds:
        if threshold.measure == TOTAL and threshold.at_least is not None:
            return float(threshold.at_least)
    return 1.0


@remembered
def merits(table: ResultTable) -> list[ArmMerits]:
    """Figures of merit of every arm, in the trial's order."""
    counted = table.counted
    total = table.column(TOTAL)
    good = np.nan_to_num(total, nan=-1.0) >= good_from(table.card) - TIE
    priced = counted & ~np.isnan(table.cost)
    shape = (len(table.cases), len(table.arms))
    costs, goods = np.zeros(shape), np.zeros(shape)
    at = (table.case[priced], table.arm[priced])
    np.add.at(costs, at, table.cost[priced])
    np.add.at(goods, at, good[priced])
    # Cases that count for no arm have no row to be drawn.
    met = np.unique(table.case[counted])
    row = np.zeros(len(table.cases), dtype=np.int64)
    row[met] = np.arange(met.size)
    timed = counted & ~np.isnan(table.latency_ms)
    own = [timed & (table.arm == i) for i in range(len(table.arms))]
    prices = cost_per_good(costs[met], goods[met])
    quick = percentiles(
        [table.latency_ms[o] for o in own], [row[table.case[o]] for o in own], met.size, (0.5, 0.95)
    )
    means = arm_figures(table)
    gates = _gates(table)
    ungated = arm_figures(table, UNGATED) if gates else {}
    found = []
    for place, name in enumerate(table.arms):
        mine = counted & (table.arm == place)
        found.append(
            ArmMerits(
                name,
                means[name].came_first,
                int(mine.sum()),
                int((mine & good).sum()),
                prices[place] if (priced & mine).any() else UNPRICED,
                quick[place][0],
                quick[place][1],
                ungated[name].mean if gates else None,
                gates.get(name, []),
            )
        )
    return found


def _gates(table: ResultTable) -> dict[str, list[tuple[str, float]]]:
    """For each arm the share of its scored answers that pass each gate; {} without gates."""
    names = [e.name for e in table.card.entries if e.gate]
    found: dict[str, list[tuple[str, float]]] = {}
    for name in names:
        score = table.column(name)
        for place, arm in enumerate(table.arms):
            own = score[table.counted & (table.arm == place) & ~np.isnan(score)]
            passed = found.setdefault(arm, [])
            if own.size:
                passed.append((name, float((own >= 1 - TIE).mean())))
    return found
