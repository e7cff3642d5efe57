"""Consistency: the share of twin pairs that behave as expected, arm by arm and kind by kind."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats import ArmSummary, PairComparison
from nomikon.core.stats.compare import compare_means

Floats = NDArray[np.float64]


class PairRow(NamedTuple):
    """One twin as one arm answers it. case: the case it is a twin of. holds: 1 or 0, the mean over
    repeats; None where it cannot be told."""

    arm: str
    case: str
    twin: str
    kind: str
    holds: float | None


@dataclass(frozen=True)
class KindShare:
    """Of one kind and arm. holds: twins that behave in every repeat; broken: the others; unknown:
    those of which it cannot be told."""

    kind: str
    arm: str
    share: float | None
    low: float | None
    high: float | None
    holds: int
    broken: int
    unknown: int


@dataclass(frozen=True)
class Shares:
    """arms: the share over all kinds with its interval. comparisons: every other arm against the
    reference, as for any measure. by_kind: in the order of kinds, then of arms."""

    arms: list[ArmSummary]
    comparisons: list[PairComparison]
    by_kind: list[KindShare]


def shares_of_pairs(
    rows: Iterable[PairRow],
    arms: Sequence[str],
    against: str | None = None,
    *,
    margin: float = 0.05,
    alpha: float = 0.05,
) -> Shares:
    """The shares of pairs that hold, with intervals that resample cases: twins of one case are related.

    arms: in the order in which they are told. against: the reference of the comparisons. margin: the
    difference that matters. Every pair weighs the same.
    """
    found = list(rows)
    twins = list(dict.fromkeys(r.twin for r in found))
    of = {r.twin: r for r in found}
    place = {t: i for i, t in enumerate(twins)}
    column = {a: i for i, a in enumerate(arms)}
    held = np.full((len(twins), len(arms)), np.nan)
    for row in found:
        if row.holds is not None:
            held[place[row.twin], column[row.arm]] = row.holds
    if not twins:
        return Shares([], [], [])
    cases = [of[t].case for t in twins]
    # A case with one twin is its own source, as everywhere.
    sources = cases if len(set(cases)) < len(cases) else None
    whole = compare_means(
        list(arms),
        held,
        against=against,
        sources=sources,
        margin=margin,
        alpha=alpha,
        with_pairs=against is not None,
    )
    by_kind: list[KindShare] = []
    for kind in dict.fromkeys(of[t].kind for t in twins):
        own = [i for i, t in enumerate(twins) if of[t].kind == kind]
        by_kind += _of_kind(kind, arms, held[own], [cases[i] for i in own], margin)
    return Shares(whole.arms, whole.comparisons, by_kind)


def _of_kind(
    kind: str, arms: Sequence[str], held: Floats, cases: Sequence[str], margin: float
) -> list[KindShare]:
    """The share of each arm in one kind. held: a row a twin, a column an arm, nan where it cannot be told."""
    found = compare_means(
        list(arms),
        held,
        sources=list(cases) if len(set(cases)) < len(cases) else None,
        margin=margin,
        with_pairs=False,
    )
    rows: list[KindShare] = []
    for at, summary in enumerate(found.arms):
        known = held[:, at][~np.isnan(held[:, at])]
        rows.append(
            KindShare(
                kind,
                summary.arm,
                summary.mean,
                summary.low,
                summary.high,
                int((known >= 1).sum()),
                int((known < 1).sum()),
                len(held) - known.size,
            )
        )
    return rows
