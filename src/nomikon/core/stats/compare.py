"""The paired comparison of arms: who scores what, who beats whom, how sure we are."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from nomikon.core.errors import CannotCompareError
from nomikon.core.stats.holm import holm
from nomikon.core.stats.intervals import difference_interval, mean_interval
from nomikon.core.stats.power import cases_needed
from nomikon.core.stats.resampling import resampled_means
from nomikon.core.stats.signflip import TIE, SignFlip, sign_flips

Floats = NDArray[np.float64]
N = TypeVar("N", str, int)

DEFAULT_RESAMPLES = 10_000
MISSING = ("drop", "zero")


@dataclass(frozen=True)
class ScoreRow:
    """One score: None is missing (a server or judge failure, never a bad answer)."""

    arm: str
    case: str
    repeat: int
    score: float | None


@dataclass(frozen=True)
class ArmSummary:
    """An arm's mean over its cases with interval; figures are None where none exist."""

    arm: str
    n_cases: int
    n_missing: int
    mean: float | None
    low: float | None
    high: float | None
    came_first: float | None
    method: str | None
    why_null: str | None = None


@dataclass(frozen=True)
class PairComparison:
    """a against b on the cases both answered; difference = a − b."""

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


@dataclass(frozen=True)
class ComparisonResult:
    """Arms in the order in which they were first met, and the family of comparisons."""

    arms: list[ArmSummary]
    comparisons: list[PairComparison]


def case_means(
    rows: Iterable[ScoreRow], *, missing: str = "drop"
) -> tuple[list[str], list[str], Floats]:
    """Repeats averaged within cases: arms, cases, and means of shape (n_cases, n_arms).

    A repeat is missing when its score is None, or when the arm answered it for
    other cases and not for this one. With `drop` such a case is nan for that
    arm; with `zero` the missing repeat counts 0. A case an arm was never run
    on at all is nan either way.
    Raises CannotCompareError for scores outside 0 and 1 or given twice.
    """
    if missing not in MISSING:
        raise CannotCompareError(
            f"missing is {missing!r}; allowed are drop and zero", field="missing"
        )
    given_rows = list(rows)
    if not given_rows:
        return [], [], np.empty((0, 0))
    # Column by column: a third of the time of one pass over the rows, which counts at 300,000.
    arms, of_arm = places([r.arm for r in given_rows])
    cases, of_case = places([r.case for r in given_rows])
    repeats, of_repeat = places([r.repeat for r in given_rows])
    index = np.column_stack([of_arm, of_case, of_repeat])
    scores = [r.score for r in given_rows]
    absent = np.array([s is None for s in scores], dtype=np.bool_)
    # None becomes nan; a nan that was given is no score.
    values = np.array(scores, dtype=np.float64)
    _check_rows(arms, cases, repeats, index, np.where(absent, 0.0, values))
    table = np.full((len(arms), len(cases), len(repeats)), np.nan)
    given = np.zeros(table.shape, dtype=np.bool_)
    table[tuple(index.T)] = values
    given[tuple(index.T)] = True
    return arms, cases, means_in(table, given, missing=missing)


def means_in(
    table: Floats,
    given: NDArray[np.bool_],
    *,
    missing: str = "drop",
    so_far: bool = False,
) -> Floats:
    """Repeats averaged within cases, of shape (n_cases, n_arms); nan where a mean is missing.

    table: scores of shape (n_arms, n_cases, n_repeats), nan where a score is missing. given:
    which of them were had at all. so_far: a case stands for what its repeats have come to by now,
    for a trial that is not complete.
    """
    if missing == "zero":
        table = np.where(given & np.isnan(table), 0.0, table)
    means = np.full((table.shape[1], table.shape[0]), np.nan)
    for column in range(table.shape[0]):
        ran = given[column].any(axis=1)
        if so_far:
            had = given[column][ran]
            sums = np.where(had, table[column][ran], 0.0).sum(axis=1)
            means[ran, column] = sums / had.sum(axis=1)
            continue
        expected = given[column].any(axis=0)
        own = table[column][:, expected]
        if missing == "zero":
            own = np.where(given[column][:, expected], own, 0.0)
        means[ran, column] = own[ran].mean(axis=1)
    return means


def places(names: list[N]) -> tuple[list[N], NDArray[np.int64]]:
    """Different names in the order in which they are first met, and each name's place among them."""
    found = list(dict.fromkeys(names))
    place = {name: i for i, name in enumerate(found)}
    return found, np.fromiter(map(place.__getitem__, names), dtype=np.int64, count=len(names))


def _check_rows(
    arms: list[str],
    cases: list[str],
    repeats: list[int],
    index: NDArray[np.int64],
    values: Floats,
) -> None:
    """Refuse scores that are none, and a score given twice, naming the first."""
    bad = ~((values >= -TIE) & (values <= 1 + TIE))
    if bad.any():
        at = int(np.argmax(bad))
        arm, case, _ = index[at]
        raise CannotCompareError(
            f"the score of arm {arms[arm]!r}, case {cases[case]!r} is {values[at]:g}; "
            "scores lie between 0 and 1, both included",
            field="score",
        )
    flat = (index[:, 0] * len(cases) + index[:, 1]) * len(repeats) + index[:, 2]
    if np.bincount(flat).max() > 1:
        _, firsts = np.unique(flat, return_index=True)
        twice = np.ones(flat.size, dtype=np.bool_)
        twice[firsts] = False
        arm, case, repeat = index[int(np.argmax(twice))]
        raise CannotCompareError(
            f"arm {arms[arm]!r}, case {cases[case]!r}, repeat {repeats[repeat]} is given twice",
            field="repeat",
        )


def compare(
    rows: Iterable[ScoreRow],
    *,
    against: str | None = None,
    missing: str = "drop",
    margin: float = 0.05,
    seed: int = 0,
    n_resamples: int = DEFAULT_RESAMPLES,
    level: float = 0.95,
    with_pairs: bool = True,
) -> ComparisonResult:
    """Compare arms on the cases they share.

    rows: scores within 0 and 1. against: the reference arm; the family of tests
    is then every other arm against it, else all pairs. margin: the difference
    that matters, for the cases needed. level: two-sided, within 0 and 1.
    with_pairs: False for the arms' own figures alone, which is much quicker.
    The case is the unit: repeats are averaged within it, resampling is over
    cases, and a case one of two arms has no full answer to is left out of
    their comparison.
    Raises CannotCompareError.
    """
    arms, _, means = case_means(rows, missing=missing)
    return compare_means(
        arms,
        means,
        against=against,
        margin=margin,
        seed=seed,
        n_resamples=n_resamples,
        level=level,
        with_pairs=with_pairs,
    )


def compare_means(
    arms: Sequence[str],
    means: Floats,
    *,
    against: str | None = None,
    margin: float = 0.05,
    seed: int = 0,
    n_resamples: int = DEFAULT_RESAMPLES,
    level: float = 0.95,
    with_pairs: bool = True,
) -> ComparisonResult:
    """The same from the cases' means, of shape (n_cases, n_arms); nan is missing.

    Raises CannotCompareError.
    """
    if not 0 < level < 1:
        raise CannotCompareError(f"level is {level}; it must lie between 0 and 1", field="level")
    if not 0 < margin < 1:
        raise CannotCompareError(f"margin is {margin}; it must lie between 0 and 1", field="margin")
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
    chance = {"n_resamples": n_resamples, "seed": seed}
    draws = _Draws(means, chance)
    summaries = _summaries(arms, means, level, draws)
    pairs = _family(arms, against) if with_pairs else []
    tests = _tests(means, pairs, chance)
    compared = [
        _compare_pair(arms, means, a, b, draws, tests[a, b], level=level, margin=margin)
        for a, b in pairs
    ]
    return ComparisonResult(summaries, _with_holm(compared))


def _family(arms: Sequence[str], against: str | None) -> list[tuple[int, int]]:
    if against is not None:
        reference = arms.index(against)
        return [(i, reference) for i in range(len(arms)) if i != reference]
    return [(i, j) for i in range(len(arms)) for j in range(i + 1, len(arms))]


class _Draws:
    """Resampled arm means, drawn once for every set of cases and shared by all who need it.

    A difference of two arms resampled on the same cases is the difference of
    their resampled means, so one set of draws serves arms and pairs alike.
    """

    def __init__(self, means: Floats, chance: Mapping[str, int]) -> None:
        self._means = np.nan_to_num(means)
        self._chance = chance
        self._known: dict[bytes, Floats] = {}

    def on(self, have: NDArray[np.bool_]) -> Floats:
        """Means of shape (n_resamples, n_arms) over the cases chosen.

        Columns of arms that lack one of these cases mean nothing and are not to be read.
        """
        key = have.tobytes()
        if key not in self._known:
            self._known[key] = resampled_means(self._means[have], **self._chance)
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
            summaries.append(
                ArmSummary(
                    arm,
                    0,
                    n_missing,
                    None,
                    None,
                    None,
                    None,
                    None,
                    "no case of this arm has a score",
                )
            )
            continue
        interval = mean_interval(means[have, column], draws.on(have)[:, column], level=level)
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
            )
        )
    return summaries


def _came_first(resampled: Floats) -> Floats:
    """Share of resamples in which each arm has the highest mean, ties split."""
    best = resampled.max(axis=1, keepdims=True)
    leads = np.abs(resampled - best) <= TIE
    shares: Floats = (leads / leads.sum(axis=1, keepdims=True)).mean(axis=0)
    return shares


def _tests(
    means: Floats, pairs: Sequence[tuple[int, int]], chance: Mapping[str, int]
) -> dict[tuple[int, int], SignFlip]:
    """The test of every pair; pairs on the same cases are tested together."""
    groups: dict[bytes, list[tuple[int, int]]] = {}
    for a, b in pairs:
        have = ~np.isnan(means[:, a] + means[:, b])
        groups.setdefault(have.tobytes(), []).append((a, b))
    found: dict[tuple[int, int], SignFlip] = {}
    for key, members in groups.items():
        cases = means[np.frombuffer(key, dtype=np.bool_)]
        columns = [cases[:, a] - cases[:, b] for a, b in members]
        found |= zip(members, sign_flips(np.column_stack(columns), **chance), strict=True)
    return found


def _compare_pair(
    arms: Sequence[str],
    means: Floats,
    a: int,
    b: int,
    draws: _Draws,
    test: SignFlip,
    *,
    level: float,
    margin: float,
) -> PairComparison:
    have = ~np.isnan(means[:, a] + means[:, b])
    differences = means[have, a] - means[have, b]
    n = differences.size
    if n == 0:
        return PairComparison(
            arms[a],
            arms[b],
            0,
            None,
            None,
            None,
            None,
            None,
            0,
            0,
            0,
            None,
            None,
            "no case was answered by both arms",
        )
    resampled = draws.on(have)
    interval = difference_interval(differences, resampled[:, a] - resampled[:, b], level=level)
    wins = int(np.count_nonzero(differences > TIE))
    losses = int(np.count_nonzero(differences < -TIE))
    s_d = float(differences.std(ddof=1)) if n > 1 else 0.0
    needed = cases_needed(s_d, margin)
    return PairComparison(
        arms[a],
        arms[b],
        n,
        interval.estimate,
        interval.low,
        interval.high,
        test.p,
        None,
        wins,
        n - wins - losses,
        losses,
        needed,
        f"{interval.method}, sign-flip {test.method}",
        None if needed is not None else "the case differences do not vary: cases_needed is open",
    )


def _with_holm(compared: Sequence[PairComparison]) -> list[PairComparison]:
    tested = [c for c in compared if c.p is not None]
    adjusted = iter(holm([c.p for c in tested if c.p is not None]))
    return [c if c.p is None else replace(c, p_holm=next(adjusted)) for c in compared]
