"""The paired comparison of arms: who scores what, who beats whom, how sure we are."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nomikon.core.errors import CannotCompareError
from nomikon.core.stats.holm import held_at, holm
from nomikon.core.stats.intervals import Interval, difference_interval, mean_interval
from nomikon.core.stats.losses import Losses, losses
from nomikon.core.stats.means import ScoreRow, case_means, places
from nomikon.core.stats.power import cases_needed
from nomikon.core.stats.resampling import resampled_means
from nomikon.core.stats.signflip import TIE, SignFlip, flips_for, sign_flips
from nomikon.core.stats.sources import Units, units_of

Floats = NDArray[np.float64]

DEFAULT_RESAMPLES = 10_000
PAIRS, REFERENCE = "pairs", "reference"


@dataclass(frozen=True)
class ArmSummary:
    """An arm's mean over its cases with interval; figures are None where none exist.

    n_sources, effective_cases: how many sources the cases come from, and how many unrelated
    cases they count as; None where every case is its own. n_lost: cases that score 0 whole;
    unseen_loss: the share that could be and not have been seen, where fewer than three are.
    """

    arm: str
    n_cases: int
    n_missing: int
    mean: float | None
    low: float | None
    high: float | None
    came_first: float | None
    method: str | None
    why_null: str | None = None
    n_sources: int | None = None
    effective_cases: float | None = None
    n_lost: int = 0
    unseen_loss: float | None = None


@dataclass(frozen=True)
class PairComparison:
    """a against b on the cases both answered; difference = a − b.

    level_used: that of the interval which goes with the decision: 1 − what Holm held this
    comparison to; held_low, held_high: its ends. unseen_loss: the share of cases that the arm
    ahead could lose whole and the other not, without it having shown; None where three or more
    are seen. undone_by: the share that would undo what it is ahead.
    """

    a: str
    b: str
    n_cases: int
    difference: float | None
    low: float | None
    high: float | None
    p: float | None
    p_holm: float | None
    wins: int
    ties: int
    losses: int
    cases_needed: int | None
    method: str | None
    why_null: str | None = None
    n_sources: int | None = None
    effective_cases: float | None = None
    level_used: float | None = None
    held_low: float | None = None
    held_high: float | None = None
    unseen_loss: float | None = None
    undone_by: float | None = None


@dataclass(frozen=True)
class ComparisonResult:
    """Arms in the order in which they were first met, and the comparisons asked for.

    n_family: how many tests were corrected for together. alpha: what they were held to.
    """

    arms: list[ArmSummary]
    comparisons: list[PairComparison]
    n_family: int = 0
    alpha: float = 0.05


def compare(
    rows: Iterable[ScoreRow],
    *,
    against: str | None = None,
    family: str | None = None,
    missing: str = "drop",
    sources: Mapping[str, str] | None = None,
    margin: float = 0.05,
    seed: int = 0,
    n_resamples: int = DEFAULT_RESAMPLES,
    level: float = 0.95,
    alpha: float | None = None,
    with_pairs: bool = True,
) -> ComparisonResult:
    """Compare arms on the cases they share.

    rows: scores within 0 and 1. against: the reference arm; comparisons are then every other
    arm against it, else all pairs. family: what is corrected for together, reference (the
    default where there is one) or pairs; pairs where the reference was chosen after looking.
    sources: what each case comes from (a conversation, a document, a person), where cases
    share it: sources are then flipped and resampled whole. margin: the difference that
    matters, for the cases needed. level: two-sided, within 0 and 1. alpha: what the family of
    tests is held to, 1 − level by default. with_pairs: False for the arms' own figures alone,
    which is much quicker.
    The case is the unit: repeats are averaged within it, resampling is over
    cases, and a case one of two arms has no full answer to is left out of
    their comparison.
    Raises CannotCompareError.
    """
    arms, cases, means = case_means(rows, missing=missing)
    own = None if sources is None else [sources.get(c) or f"case {c}" for c in cases]
    return compare_means(
        arms,
        means,
        against=against,
        family=family,
        sources=own,
        margin=margin,
        seed=seed,
        n_resamples=n_resamples,
        level=level,
        alpha=alpha,
        with_pairs=with_pairs,
    )


def compare_means(
    arms: Sequence[str],
    means: Floats,
    *,
    against: str | None = None,
    family: str | None = None,
    sources: Sequence[str] | None = None,
    margin: float = 0.05,
    seed: int = 0,
    n_resamples: int = DEFAULT_RESAMPLES,
    level: float = 0.95,
    alpha: float | None = None,
    with_pairs: bool = True,
    known: dict[bytes, Floats] | None = None,
) -> ComparisonResult:
    """The same from the cases' means, of shape (n_cases, n_arms); nan is missing.

    sources: each case's, in the same order. known: resampled means, kept from one call to the
    next with the same means, sources and chance. Raises CannotCompareError.
    """
    alpha = 1 - level if alpha is None else alpha
    _check(arms, against, family, level, alpha, margin, n_resamples)
    chance = {"n_resamples": n_resamples, "seed": seed}
    codes = None
    if sources is not None and len(set(sources)) < len(sources):
        codes = places(list(sources))[1]
    draws = _Draws(means, codes, chance, {} if known is None else known)
    summaries = _summaries(arms, means, level, draws)
    if not with_pairs:
        return ComparisonResult(summaries, [], alpha=alpha)
    shown = _family(arms, against, None)
    tested = _family(arms, against, family)
    # A pair is tested the way it is shown.
    tested = [(b, a) if (b, a) in set(shown) else (a, b) for a, b in tested]
    flips = flips_for(n_resamples, alpha / max(1, len(tested)))
    tests = _tests(means, tested, draws, {**chance, "n_resamples": flips})
    held = _corrected({pair: test.p for pair, test in tests.items()}, alpha)
    compared = [
        _Pair(means, a, b, draws, tests[a, b], seed).told(
            arms[a], arms[b], level, margin, alpha / len(held), held.get((a, b))
        )
        if (a, b) in tests
        else _nothing_shared(arms[a], arms[b])
        for a, b in shown
    ]
    return ComparisonResult(summaries, compared, len(held), alpha)


def _check(
    arms: Sequence[str],
    against: str | None,
    family: str | None,
    level: float,
    alpha: float,
    margin: float,
    n_resamples: int,
) -> None:
    for name, value in (("level", level), ("alpha", alpha), ("margin", margin)):
        if not 0 < value < 1:
            raise CannotCompareError(f"{name} is {value}; it must lie between 0 and 1", field=name)
    if n_resamples < 100:
        raise CannotCompareError(
            f"resamples is {n_resamples}; at least 100 are needed", field="resamples"
        )
    if not arms:
        raise CannotCompareError("there are no scores to compare", field="scores")
    if against is not None and against not in arms:
        raise CannotCompareError(
            f"there is no arm {against!r}; the arms are {', '.join(arms)}", field="against"
        )
    if family not in (None, PAIRS, REFERENCE):
        raise CannotCompareError(
            f"family is {family!r}; allowed are {PAIRS} and {REFERENCE}", field="family"
        )
    if family == REFERENCE and against is None:
        raise CannotCompareError(
            "the family reference needs the arm that others are held against", field="family"
        )


def _family(arms: Sequence[str], against: str | None, family: str | None) -> list[tuple[int, int]]:
    if against is not None and family != PAIRS:
        reference = arms.index(against)
        return [(i, reference) for i in range(len(arms)) if i != reference]
    return [(i, j) for i in range(len(arms)) for j in range(i + 1, len(arms))]


class _Draws:
    """Units (cases, or sources of them) and resampled arm means, made once for every set of cases.

    A difference of two arms resampled on the same cases is the difference of
    their resampled means, so one set of draws serves arms and pairs alike.
    """

    def __init__(
        self,
        means: Floats,
        codes: NDArray[np.int64] | None,
        chance: Mapping[str, int],
        known: dict[bytes, Floats],
    ) -> None:
        self._means = np.nan_to_num(means)
        self._codes = codes
        self._chance = chance
        self._units: dict[bytes, Units] = {}
        self._known = known

    def units(self, have: NDArray[np.bool_]) -> Units:
        """The cases chosen as units; columns of arms that lack one mean nothing."""
        key = have.tobytes()
        if key not in self._units:
            codes = None if self._codes is None else self._codes[have]
            self._units[key] = units_of(self._means[have], codes)
        return self._units[key]

    def on(self, have: NDArray[np.bool_]) -> Floats:
        """Resampled means of shape (n_resamples, n_arms) over the cases chosen."""
        key = have.tobytes()
        if key not in self._known:
            units = self.units(have)
            self._known[key] = resampled_means(units.means, sizes=units.sizes, **self._chance)
        return self._known[key]


def _summaries(arms: Sequence[str], means: Floats, level: float, draws: _Draws) -> list[ArmSummary]:
    present = ~np.isnan(means)
    full: NDArray[np.bool_] = np.all(present, axis=1)
    first = _came_first(draws.on(full)) if full.any() else None
    summaries = []
    for column, arm in enumerate(arms):
        have = present[:, column]
        n = int(have.sum())
        n_missing = int(means.shape[0] - n)
        if n == 0:
            why = "no case of this arm has a score"
            summaries.append(ArmSummary(arm, 0, n_missing, None, None, None, None, None, why))
            continue
        units = draws.units(have)
        interval = mean_interval(
            units.means[:, column], draws.on(have)[:, column], level=level, sizes=units.sizes
        )
        effective = units.effective(means[have, column], units.means[:, column])
        n_lost, unseen = losses(means[have, column], effective)
        summaries.append(
            ArmSummary(
                arm,
                n,
                n_missing,
                interval.estimate,
                interval.low,
                interval.high,
                None if first is None else float(first[column]),
                interval.method,
                n_sources=units.n_sources,
                effective_cases=effective,
                n_lost=n_lost,
                unseen_loss=unseen,
            )
        )
    return summaries


def _came_first(resampled: Floats) -> Floats:
    """Share of resamples in which each arm has the highest mean, ties split."""
    best = resampled.max(axis=1, keepdims=True)
    leads = np.abs(resampled - best) <= TIE
    shares: Floats = (leads / leads.sum(axis=1, keepdims=True)).mean(axis=0)
    return shares


def _shared(means: Floats, a: int, b: int) -> NDArray[np.bool_]:
    return np.asarray(~np.isnan(means[:, a] + means[:, b]))


def _tests(
    means: Floats,
    pairs: Sequence[tuple[int, int]],
    draws: _Draws,
    chance: Mapping[str, int],
) -> dict[tuple[int, int], SignFlip]:
    """The test of every pair that shares a case; pairs on the same cases are tested together."""
    groups: dict[bytes, list[tuple[int, int]]] = {}
    for a, b in pairs:
        have = _shared(means, a, b)
        if have.any():
            groups.setdefault(have.tobytes(), []).append((a, b))
    found: dict[tuple[int, int], SignFlip] = {}
    for key, members in groups.items():
        sums = draws.units(np.frombuffer(key, dtype=np.bool_)).sums
        columns = [sums[:, a] - sums[:, b] for a, b in members]
        found |= zip(members, sign_flips(np.column_stack(columns), **chance), strict=True)
    return found


def _corrected(
    p_values: Mapping[tuple[int, int], float], alpha: float
) -> dict[tuple[int, int], tuple[float, float]]:
    """Each pair's p after Holm, and what its own p was held to."""
    pairs, own = list(p_values), list(p_values.values())
    return dict(zip(pairs, zip(holm(own), held_at(own, alpha), strict=True), strict=True))


def _nothing_shared(a: str, b: str) -> PairComparison:
    why = "no case was answered by both arms"
    return PairComparison(a, b, 0, None, None, None, None, None, 0, 0, 0, None, None, why)


class _Pair:
    """Two arms on the cases both answered."""

    def __init__(
        self, means: Floats, a: int, b: int, draws: _Draws, test: SignFlip, seed: int
    ) -> None:
        have = _shared(means, a, b)
        self.scores = means[have][:, [a, b]]
        self.differences = self.scores[:, 0] - self.scores[:, 1]
        self.units = draws.units(have)
        self.own = self.units.means[:, a] - self.units.means[:, b]
        resampled = draws.on(have)
        self.resampled = resampled[:, a] - resampled[:, b]
        self.test, self.seed = test, seed

    def interval(self, level: float) -> Interval:
        return difference_interval(
            self.own,
            self.resampled,
            self.test.p,
            level=level,
            sizes=self.units.sizes,
            seed=self.seed,
        )

    def told(
        self,
        a: str,
        b: str,
        level: float,
        margin: float,
        alpha: float,
        held: tuple[float, float] | None,
    ) -> PairComparison:
        """alpha: of one test of the family; held: its p after Holm, and what it was held to."""
        p_holm, used = held if held is not None else (None, 1 - level)
        interval, d = self.interval(level), self.differences
        decided = interval if abs(1 - used - level) < 1e-12 else self.interval(1 - used)
        wins, behind = int(np.count_nonzero(d > TIE)), int(np.count_nonzero(d < -TIE))
        effective = self.units.effective(d, self.own)
        s_d = float(d.std(ddof=1)) if d.size > 1 else 0.0
        # Related cases vary as fewer would: it takes so many more of them.
        needed = cases_needed(s_d, margin, level=alpha, per_case=d.size / (effective or d.size))
        ahead = self.scores if interval.estimate >= 0 else self.scores[:, ::-1]
        found: Losses = losses(ahead[:, 0], effective, than=ahead[:, 1])
        lead, mean = abs(interval.estimate), float(ahead[:, 0].mean())
        return PairComparison(
            a,
            b,
            d.size,
            interval.estimate,
            interval.low,
            interval.high,
            self.test.p,
            p_holm,
            wins,
            d.size - wins - behind,
            behind,
            needed,
            f"{interval.method}, sign-flip {self.test.method}",
            None
            if needed is not None
            else "the case differences do not vary: cases_needed is open",
            n_sources=self.units.n_sources,
            effective_cases=effective,
            level_used=1 - used,
            held_low=decided.low,
            held_high=decided.high,
            unseen_loss=found.unseen,
            undone_by=lead / mean if mean > TIE and lead > TIE else None,
        )


def untested(found: ComparisonResult) -> ComparisonResult:
    """The same figures as estimates: what is not complete decides nothing."""
    bare = [
        replace(c, p=None, p_holm=None, level_used=None, held_low=None, held_high=None)
        for c in found.comparisons
    ]
    return replace(found, comparisons=bare)
