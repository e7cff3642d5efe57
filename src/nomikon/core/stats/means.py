"""Scores into the means of cases: repeats are averaged within their case."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from nomikon.core.errors import CannotCompareError
from nomikon.core.stats.signflip import TIE

Floats = NDArray[np.float64]
N = TypeVar("N", str, int)

MISSING = ("drop", "zero")


@dataclass(frozen=True)
class ScoreRow:
    """One score: None is missing (a server or judge failure, never a bad answer)."""

    arm: str
    case: str
    repeat: int
    score: float | None


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
