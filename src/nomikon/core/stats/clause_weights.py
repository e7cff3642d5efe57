"""Clause weights: what each clause adds to the score, from a screening that left some out.

The weight of a clause is the score of the full prompt minus that without the
clause. Rows and cases form a complete block, so the least squares with a
constant for every case are those of each case by itself, averaged; what is
resampled and tested is the cases. Where clauses act on each other in ways that
weights and pairs do not explain, the rows show it, and intervals and tests are
widened by it: a model that answers the same every time would else make a small
misfit look sure.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import fdtrc, ndtri, stdtr, stdtrit

from nomikon.core.errors import CannotCompareError
from nomikon.core.stats.holm import holm
from nomikon.core.stats.intervals import difference_interval
from nomikon.core.stats.resampling import resampled_means
from nomikon.core.stats.signflip import sign_flips
from nomikon.core.stats.sources import Units, codes_of, units_of

Floats = NDArray[np.float64]

EARNS, HURTS, NOTHING, UNSURE = "earns", "hurts", "does nothing", "cannot tell"
REDUNDANT, TOGETHER = "say the same", "need each other"
LEVEL = 0.05
MOST_PAIRS = 5
# Two columns closer than this are one for all that the rows can tell.
ALIKE = 0.98
TINY = 1e-12


@dataclass(frozen=True)
class Weight:
    """One unit's weight in score, its interval, the test after Holm, and what it comes to.

    verdict: earns or hurts where the test says so; does nothing where the interval's
    upper end lies under the margin; else cannot tell.
    """

    unit: int
    weight: float
    low: float
    high: float
    p: float
    p_holm: float
    verdict: str


@dataclass(frozen=True)
class PairFound:
    """Two units whose loss together is not the sum of their losses.

    candidates: pairs that these rows cannot tell from each other, that whose units weigh
    least by themselves first; more than one where a row left out three or more. extra:
    what is lost without both beyond the sum of their weights, with its interval; above 0
    they say the same, below 0 neither works without the other.
    """

    candidates: list[tuple[int, int]]
    kind: str
    extra: float
    low: float
    high: float
    p_holm: float


@dataclass(frozen=True)
class ClauseWeights:
    """full: mean score of the whole prompt. n_dropped: cases left out as a score is missing.

    misfit: standard deviation of rows about what weights and pairs explain, 0 where it is
    no more than chance.
    """

    weights: list[Weight]
    pairs: list[PairFound]
    full: float | None
    n_cases: int
    n_dropped: int
    why_null: str | None = None
    pairs_met: int = 0
    pairs_of: int = 0
    misfit: float = 0.0


def clause_weights(
    rows: Sequence[frozenset[int]],
    scores: Floats,
    n_units: int,
    *,
    margin: float = 0.05,
    seed: int = 0,
    n_resamples: int = 10_000,
    level: float = 0.95,
    sources: Sequence[str] | None = None,
) -> ClauseWeights:
    """Weights of units 0 … n_units − 1 with intervals, and the pairs that hang together.

    rows: the units each row leaves out. scores: shape (n_cases, n_rows), ungated case
    means within 0 and 1, nan where missing; a case with a missing score is left out
    of all rows. Pairs are looked for among those that some row leaves out together,
    one after the other, each Holm-corrected over all of them. sources: each case's, where some
    share one; they are flipped and resampled whole.
    Raises CannotCompareError where rows cannot tell the units apart.
    """
    whole = ~np.isnan(scores).any(axis=1)
    n_dropped = int((~whole).sum())
    table = scores[whole]
    if len(table) < 2:
        why = f"{len(table)} cases have a score from every row; two are needed"
        return ClauseWeights([], [], None, len(table), n_dropped, why)
    out = np.array([[u in row for u in range(n_units)] for row in rows], dtype=np.float64)
    design = np.column_stack([np.ones(len(rows)), -out])
    if np.linalg.matrix_rank(design) < n_units + 1:
        raise CannotCompareError(
            "the rows do not tell all clauses apart: some are only left out together", field="rows"
        )
    chance = {"n_resamples": n_resamples, "seed": seed}
    names = None if sources is None else [sources[i] for i in np.flatnonzero(whole).tolist()]
    units = units_of(table, codes_of(names))
    pairs_of = itertools.combinations(range(n_units), 2)
    met = [(a, b) for a, b in pairs_of if (out[:, a] * out[:, b]).any()]
    columns, groups = _groups(design, out, units, met, margin, chance)
    inverse = np.linalg.pinv(columns)
    own, bounds = (
        Units(units.means @ inverse.T, units.sizes),
        _bounds(np.asarray(inverse, dtype=np.float64)),
    )
    misfit = _misfit(columns, units)
    alone = slice(1, n_units + 1)
    weights = _weights(
        Units(own.means[:, alone], own.sizes), bounds[alone], columns, misfit, margin, level, chance
    )
    pairs = _pairs(own, bounds, groups, n_units, margin, level, chance)
    full = next((i for i, row in enumerate(rows) if not row), None)
    return ClauseWeights(
        weights,
        pairs,
        None if full is None else float(table[:, full].mean()),
        len(table),
        n_dropped,
        pairs_met=len(met),
        pairs_of=n_units * (n_units - 1) // 2,
        misfit=misfit,
    )


def _bounds(inverse: Floats) -> Floats:
    """How far from 0 a case's own estimate of each weight can lie: scores are within 0 and 1."""
    up, down = np.clip(inverse, 0, None), np.clip(-inverse, 0, None)
    return np.asarray(np.maximum(up.sum(axis=1), down.sum(axis=1)), dtype=np.float64)


def _misfit(columns: Floats, units: Units) -> float:
    """Standard deviation of row means about the fit, beyond what cases explain; 0 if by chance.

    The F test for lack of fit (Draper and Smith 1998, section 2.1): rows' residuals against
    those of cases within rows.
    """
    n_units, n_rows = units.means.shape
    freedom = n_rows - columns.shape[1]
    if freedom < 1 or n_units < 2:
        return 0.0
    away = np.eye(n_rows) - columns @ np.linalg.pinv(columns)
    rest = Units(units.means @ away, units.sizes)
    lack = n_units * float((rest.mean**2).sum()) / freedom
    within = float((rest.apart**2).sum()) / ((n_units - 1) * freedom)
    if lack <= TINY or (
        within > TINY and fdtrc(freedom, (n_units - 1) * freedom, lack / within) > LEVEL
    ):
        return 0.0
    return math.sqrt(max(0.0, lack - within) / n_units)


def _weights(
    units: Units,
    bounds: Floats,
    columns: Floats,
    misfit: float,
    margin: float,
    level: float,
    chance: dict[str, int],
) -> list[Weight]:
    drawn = resampled_means(units.means, sizes=units.sizes, **chance)
    freedom = max(1, len(columns) - columns.shape[1])
    spread = misfit * np.sqrt(np.diag(np.linalg.pinv(columns.T @ columns)))[1:]
    wide = float(stdtrit(freedom, 0.5 + level / 2)) * spread
    estimates = units.mean
    flips = [test.p for test in sign_flips(units.sums, **chance)]
    tests = [
        _with_misfit(float(estimate), p, float(own), freedom)
        for estimate, p, own in zip(estimates, flips, spread, strict=False)
    ]
    corrected = holm(tests)
    found = []
    for unit in range(units.means.shape[1]):
        interval = difference_interval(
            units.means[:, unit],
            drawn[:, unit],
            flips[unit],
            level=level,
            bound=float(bounds[unit]),
            sizes=units.sizes,
        )
        own = interval.estimate
        low = own - math.hypot(own - interval.low, wide[unit])
        high = own + math.hypot(interval.high - own, wide[unit])
        verdict = UNSURE
        if corrected[unit] <= LEVEL and own != 0:
            verdict = EARNS if own > 0 else HURTS
        elif high < margin:
            verdict = NOTHING
        found.append(Weight(unit, own, low, high, tests[unit], corrected[unit], verdict))
    return found


def _with_misfit(estimate: float, p: float, spread: float, freedom: int) -> float:
    """The p of a weight when the rows' misfit adds to what cases make unsure."""
    if spread == 0.0 or p >= 1.0:
        return p
    by_cases = abs(estimate) / max(float(-ndtri(p / 2)), TINY) if p > 0 else 0.0
    return float(2 * stdtr(freedom, -abs(estimate) / math.hypot(by_cases, spread)))


def _both(out: Floats, pair: tuple[int, int]) -> Floats:
    """1 where a row leaves out both."""
    return np.asarray(out[:, pair[0]] * out[:, pair[1]], dtype=np.float64)


def _groups(
    design: Floats,
    out: Floats,
    units: Units,
    met: Sequence[tuple[int, int]],
    margin: float,
    chance: dict[str, int],
) -> tuple[Floats, list[tuple[list[tuple[int, int]], float]]]:
    """The pairs that hang together, the surest first with their p, and the design with them in it."""
    columns = design
    groups: list[tuple[list[tuple[int, int]], float]] = []
    while len(groups) < MOST_PAIRS:
        found = _strongest(columns, out, units, met, margin, chance)
        if found is None:
            break
        groups.append(found)
        columns = np.column_stack([columns, -_both(out, found[0][0])])
    return columns, groups


def _strongest(
    base: Floats,
    out: Floats,
    units: Units,
    candidates: Sequence[tuple[int, int]],
    margin: float,
    chance: dict[str, int],
) -> tuple[list[tuple[int, int]], float] | None:
    """The pairs whose extra loss is surest given what is in `base`, and its p.

    Only one of at least the margin: where answers never vary, the smallest quirk of one
    row is sure. Several where their columns are the same but for what `base` explains.
    """
    rest = np.eye(len(base)) - base @ np.linalg.pinv(base)
    kept = [(pair, rest @ -_both(out, pair)) for pair in candidates]
    # Hardly anything of its own: the rows cannot tell it from the weights.
    kept = [(pair, column) for pair, column in kept if column @ column > 0.1]
    if not kept:
        return None
    columns = np.column_stack([column for _, column in kept])
    sizes = (columns**2).sum(axis=0)
    own = Units(units.means @ columns / sizes, units.sizes)
    # With k tests the smallest p that n flips can give must stay well under the level ÷ k.
    flips = max(chance["n_resamples"], 5 * round(len(kept) / LEVEL))
    corrected = holm([t.p for t in sign_flips(own.sums, n_resamples=flips, seed=chance["seed"])])
    # Several may have the smallest p that resampling can give: then the greatest deviation.
    deviation = np.sqrt((own.apart**2).sum(axis=0))
    z = np.abs(own.mean) / np.where(deviation > 0, deviation, np.inf)
    z[np.abs(own.mean) < margin] = -1.0
    best = int(np.argmax(z))
    if z[best] < 0 or corrected[best] > LEVEL:
        return None
    alike = columns.T @ columns[:, best] / np.sqrt(sizes * sizes[best])
    same = [pair for (pair, _), r in zip(kept, alike, strict=True) if r > ALIKE]
    return [kept[best][0], *(p for p in same if p != kept[best][0])], corrected[best]


def _pairs(
    units: Units,
    bounds: Floats,
    groups: Sequence[tuple[list[tuple[int, int]], float]],
    n_units: int,
    margin: float,
    level: float,
    chance: dict[str, int],
) -> list[PairFound]:
    if not groups:
        return []
    extras = Units(units.means[:, n_units + 1 :], units.sizes)
    weights = np.abs(units.mean[1 : n_units + 1])
    drawn = resampled_means(extras.means, sizes=extras.sizes, **chance)
    flips = [test.p for test in sign_flips(extras.sums, **chance)]
    found = []
    for place, (pairs, p) in enumerate(groups):
        bound = float(bounds[n_units + 1 + place])
        interval = difference_interval(
            extras.means[:, place],
            drawn[:, place],
            flips[place],
            level=level,
            bound=bound,
            sizes=extras.sizes,
        )
        # With those found after it, it may come to less than matters.
        if abs(interval.estimate) < margin:
            continue
        kind = REDUNDANT if interval.estimate > 0 else TOGETHER
        pairs = sorted(pairs, key=lambda ab: float(weights[ab[0]] + weights[ab[1]]))
        found.append(PairFound(pairs, kind, interval.estimate, interval.low, interval.high, p))
    return found
