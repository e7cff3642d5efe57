"""Effects: how much of the spread of scores is due to what, among the arms tried."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from nomikon.core.errors import CannotCompareError
from nomikon.core.stats.intervals import difference_interval
from nomikon.core.stats.resampling import resampled_means
from nomikon.core.stats.signflip import sign_flips
from nomikon.core.stats.sources import codes_of, units_of

Floats = NDArray[np.float64]
FACTORS = ("version", "model", "settings")
CASE, ARM_CASE, REPEAT, REST = "case", "arm × case", "repeat", "arm × case and repeat"


@dataclass(frozen=True)
class FactorRow:
    """One score with what it came from; None is missing."""

    version: str
    model: str
    settings: str
    case: str
    repeat: int
    score: float | None


@dataclass(frozen=True)
class Share:
    """A source of spread, its variance component and its share of all of them."""

    source: str
    variance: float
    share: float


@dataclass(frozen=True)
class Effect:
    """How far one level's mean lies from the mean of all arms, with its interval."""

    factor: str
    level: str
    effect: float
    low: float
    high: float


@dataclass(frozen=True)
class Effects:
    """shares: largest first. negative: sources whose estimate was below 0 and counts as 0.

    repeat_sd: standard deviation between repeats of one arm on one case, None with one
    repeat. n_dropped: cases left out because a score is missing. why_null: why there
    are no shares.
    """

    shares: list[Share]
    effects: list[Effect]
    n_cases: int
    n_dropped: int
    repeats: int
    negative: list[str] = field(default_factory=list)
    repeat_sd: float | None = None
    why_null: str | None = None


def effects_of(
    rows: Iterable[FactorRow],
    *,
    seed: int = 0,
    n_resamples: int = 10_000,
    level: float = 0.95,
    sources: Mapping[str, str] | None = None,
) -> Effects:
    """Variance components of a complete block, and the effect of every level.

    The arms must be a full crossing of their versions, models and settings, each run
    on the same cases as often; a case with a missing score is left out. Every
    source is taken as random and its component is found by equating mean squares
    with their expectations (Searle, Casella and McCulloch 1992, chapter 4);
    negative ones become 0 and are named. With one repeat, arm × case and repeat
    cannot be told apart. Effects are resampled over cases,
    or over the sources that some share (sources: by case).
    Raises CannotCompareError for scores outside 0 and 1 or given twice.
    """
    block = _Block(rows)
    if block.why is not None:
        return Effects([], [], 0, block.n_dropped, block.repeats, why_null=block.why)
    found = _components(block)
    total = sum(max(0.0, v) for v in found.values())
    shares = [
        Share(s, max(0.0, v), max(0.0, v) / total if total else 0.0) for s, v in found.items()
    ]
    shares.sort(key=lambda s: -s.share)
    tiny = 1e-12
    return Effects(
        shares if total > tiny else [],
        _level_effects(block, seed, n_resamples, level, sources),
        block.table.shape[-2],
        block.n_dropped,
        block.repeats,
        [s for s, v in found.items() if v < -tiny],
        float(np.sqrt(block.table.var(axis=-1, ddof=1).mean())) if block.repeats > 1 else None,
        None if total > tiny else "every score is the same: there is no spread to share out",
    )


class _Block:
    """Scores as an array over the factors that vary, cases and repeats; or why there is none."""

    def __init__(self, rows: Iterable[FactorRow]) -> None:
        found: dict[tuple[tuple[str, str, str], str, int], float | None] = {}
        for row in rows:
            key = ((row.version, row.model, row.settings), row.case, row.repeat)
            if key in found:
                raise CannotCompareError(
                    f"case {row.case!r}, repeat {row.repeat} is given twice for one arm",
                    field="repeat",
                )
            if row.score is not None and not -1e-9 <= row.score <= 1 + 1e-9:
                raise CannotCompareError(
                    f"the score of case {row.case!r} is {row.score:g}; scores lie between 0 and 1, "
                    "both included",
                    field="score",
                )
            found[key] = row.score
        self.why: str | None = None
        self.n_dropped = 0
        arms = list(dict.fromkeys(k[0] for k in found))
        cases = list(dict.fromkeys(k[1] for k in found))
        repeats = sorted({k[2] for k in found})
        self.repeats = len(repeats)
        levels = [list(dict.fromkeys(a[i] for a in arms)) for i in range(3)]
        self.names = [f for f, own in zip(FACTORS, levels, strict=True) if len(own) > 1]
        self.levels = [own for own in levels if len(own) > 1]
        self.table: Floats = np.empty(0)
        self.cases: list[str] = []
        crossing = [(v, m, s) for v in levels[0] for m in levels[1] for s in levels[2]]
        if len(arms) < 2:
            self.why = "there is only one arm: nothing varies but cases"
        elif len(crossing) != len(arms):
            self.why = (
                f"the {len(arms)} arms are no full crossing of their versions, models and settings, "
                f"which would be {len(crossing)}"
            )
        if self.why is not None:
            return
        whole = [
            c for c in cases if all(found.get((a, c, n)) is not None for a in arms for n in repeats)
        ]
        self.n_dropped = len(cases) - len(whole)
        self.cases = whole
        if len(whole) < 2:
            self.why = (
                f"{len(whole)} cases have a score from every arm in every repeat; two are needed"
            )
            return
        flat = [[[found[a, c, n] for n in repeats] for c in whole] for a in crossing]
        shape = (*(len(own) for own in self.levels), len(whole), len(repeats))
        self.table = np.array(flat, dtype=np.float64).reshape(shape)


def _components(block: _Block) -> dict[str, float]:
    """Every source's variance component, by equating mean squares with their expectations."""
    y = block.table
    n_cases, repeats = y.shape[-2:]
    sizes = y.shape[:-2]
    factors = range(len(sizes))
    cells = y.mean(axis=-1)
    squares = {
        subset: _mean_square(cells, subset) * repeats
        for n in range(1, len(sizes) + 1)
        for subset in itertools.combinations(factors, n)
    }
    n_arms = int(np.prod(sizes))
    flat = cells.reshape(n_arms, n_cases)
    centred = flat - flat.mean(axis=0) - flat.mean(axis=1, keepdims=True) + flat.mean()
    arm_case = repeats * float((centred**2).sum()) / ((n_arms - 1) * (n_cases - 1))
    by_case = flat.mean(axis=0)
    case = repeats * n_arms * float(((by_case - by_case.mean()) ** 2).sum()) / (n_cases - 1)
    top = tuple(factors)
    found: dict[str, float] = {}
    for subset, own in squares.items():
        # What lies above a source in the lattice of crossings is taken off by turns.
        value = sum(
            (-1) ** (len(other) - len(subset)) * ms
            for other, ms in squares.items()
            if set(subset) <= set(other)
        )
        if subset == top:
            value = own - arm_case
        spread = np.prod([sizes[i] for i in factors if i not in subset])
        found[" × ".join(block.names[i] for i in subset)] = float(
            value / (repeats * n_cases * spread)
        )
    found[CASE] = (case - arm_case) / (repeats * n_arms)
    if repeats == 1:
        found[REST] = arm_case
    else:
        within = float(y.var(axis=-1, ddof=1).mean())
        found[ARM_CASE] = (arm_case - within) / repeats
        found[REPEAT] = within
    return found


def _mean_square(cells: Floats, subset: tuple[int, ...]) -> float:
    """Mean square of one main effect or interaction of the arm factors, over cell means."""
    other = tuple(i for i in range(cells.ndim) if i not in subset)
    means = cells.mean(axis=other, keepdims=True)
    effect = np.zeros_like(means)
    for n in range(len(subset) + 1):
        for part in itertools.combinations(subset, n):
            averaged = tuple(i for i in subset if i not in part)
            sign = (-1) ** (len(subset) - n)
            effect = effect + sign * means.mean(axis=averaged, keepdims=True)
    freedom = np.prod([cells.shape[i] - 1 for i in subset])
    each = np.prod([cells.shape[i] for i in other])
    return float((effect**2).sum() * each / freedom)


def _level_effects(
    block: _Block, seed: int, n_resamples: int, level: float, sources: Mapping[str, str] | None
) -> list[Effect]:
    cells = block.table.mean(axis=-1)
    overall = cells.reshape(-1, cells.shape[-1]).mean(axis=0)
    found: list[tuple[str, str, Floats]] = []
    for axis, (name, levels) in enumerate(zip(block.names, block.levels, strict=True)):
        other = tuple(i for i in range(cells.ndim - 1) if i != axis)
        per_level = cells.mean(axis=other)
        found += [(name, own, per_level[place] - overall) for place, own in enumerate(levels)]
    columns = np.column_stack([d for _, _, d in found])
    names = [sources.get(c) or f"case {c}" for c in block.cases] if sources else None
    units = units_of(columns, codes_of(names))
    drawn = resampled_means(units.means, sizes=units.sizes, n_resamples=n_resamples, seed=seed)
    tests = sign_flips(units.sums, n_resamples=n_resamples, seed=seed)
    made = []
    for place, (name, own, _) in enumerate(found):
        interval = difference_interval(
            units.means[:, place],
            drawn[:, place],
            tests[place].p,
            level=level,
            sizes=units.sizes,
            seed=seed,
        )
        made.append(Effect(name, own, interval.estimate, interval.low, interval.high))
    return made
