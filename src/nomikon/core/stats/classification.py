"""Labels given against labels wanted: accuracy, precision, recall, F1, the confusion matrix."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from nomikon.core.stats.resampling import Floats, resample_counts

# What an answer is counted as that is none of the wanted labels, or no answer at all.
OFF_LIST, NO_ANSWER = "(off the list)", "(no answer)"


@dataclass(frozen=True)
class LabelFigures:
    """One label: n wanted, precision, recall and F1; None where there is nothing to divide by."""

    label: str
    n: int
    precision: float | None
    recall: float | None
    f1: float | None


@dataclass(frozen=True)
class Classification:
    """rows: the wanted labels, the commonest first; columns: these, then off the list, no answer.

    matrix: counts, shape (rows, columns). accuracy: share of all that are
    right; macro_f1: mean F1 over the wanted labels, each counting the same
    (one without an F1 counts 0). Answers off the list, or none, are wrong.
    """

    rows: list[str]
    columns: list[str]
    matrix: np.ndarray
    accuracy: float | None
    macro_f1: float | None
    per_label: list[LabelFigures]


def classify(wanted: Sequence[str], given: Sequence[str | None]) -> Classification:
    """Figures of answers against references; given: None where there was no answer.

    Definitions: precision = right ÷ given so, recall = right ÷ wanted so,
    F1 = 2 × right ÷ (given so + wanted so).
    Raises ValueError when the lists differ in length.
    """
    if len(wanted) != len(given):
        raise ValueError("as many answers as references are needed")
    rows = [label for label, _ in sorted(Counter(wanted).items(), key=lambda x: (-x[1], x[0]))]
    columns = [*rows, OFF_LIST, NO_ANSWER]
    place = {label: i for i, label in enumerate(rows)}
    matrix = np.zeros((len(rows), len(columns)), dtype=np.int64)
    for want, got in zip(wanted, given, strict=True):
        column = len(rows) + 1 if got is None else place.get(got, len(rows))
        matrix[place[want], column] += 1
    per_label = []
    for i, label in enumerate(rows):
        right, asked, said = int(matrix[i, i]), int(matrix[i].sum()), int(matrix[:, i].sum())
        per_label.append(
            LabelFigures(
                label,
                asked,
                right / said if said else None,
                right / asked,
                2 * right / (asked + said),
            )
        )
    total = len(wanted)
    return Classification(
        rows,
        columns,
        matrix,
        float(np.trace(matrix)) / total if total else None,
        float(np.mean([f.f1 or 0.0 for f in per_label])) if per_label else None,
        per_label,
    )


@dataclass(frozen=True)
class Spread:
    """95 % intervals (low, high) by resampling cases; None where there is nothing to resample."""

    accuracy: tuple[float, float] | None
    macro_f1: tuple[float, float] | None
    f1: Mapping[str, tuple[float, float] | None]


def spread(
    wanted: Sequence[str],
    given: Sequence[str | None],
    cases: Sequence[str],
    *,
    seed: int = 0,
    n_resamples: int = 10_000,
    level: float = 0.95,
) -> Spread:
    """Intervals of `classify`'s figures, each worked out anew inside every resample.

    cases: which case each answer is of; whole cases are drawn, with all their
    repeats. In a resample, macro-F1 is the mean over the labels wanted in it.
    Percentile intervals (Efron and Tibshirani 1993, section 13.3), the lower end with one case
    more that is wrong on every label, the upper with one that is right: a label that was always
    right on ten cases may be wrong on the eleventh.
    """
    labels = sorted(set(wanted))
    if not labels:
        return Spread(None, None, {})
    place = {label: i for i, label in enumerate(labels)}
    row_of = {c: i for i, c in enumerate(dict.fromkeys(cases))}
    k = len(labels)
    # For each case: right, wanted and given, label by label.
    sums = np.zeros((len(row_of), 3 * k))
    for want, got, case in zip(wanted, given, cases, strict=True):
        row, w = row_of[case], place[want]
        sums[row, k + w] += 1
        if got is not None and got in place:
            g = place[got]
            sums[row, 2 * k + g] += 1
            if g == w:
                sums[row, w] += 1
    one = np.ones(k)
    # A case more for each label by itself: its own of what a macro figure or accuracy counts.
    wrong = np.concatenate([0 * one, one, 0 * one]) / k
    right = np.concatenate([one, one, one]) / k
    ends = [
        _resampled(np.concatenate([sums, [more]]), k, n_resamples, seed) for more in (wrong, right)
    ]
    single = [
        _resampled(np.concatenate([sums, [k * more]]), k, n_resamples, seed)
        for more in (wrong, right)
    ]
    seen = _figures(sums.sum(axis=0)[None, :], k)[0]
    bounds = [
        _bounds(low, high, at, level)
        for low, high, at in zip(
            [*ends[0].T[:2], *single[0].T[2:]],
            [*ends[1].T[:2], *single[1].T[2:]],
            seen.tolist(),
            strict=True,
        )
    ]
    return Spread(bounds[0], bounds[1], dict(zip(labels, bounds[2:], strict=True)))


def _resampled(sums: Floats, k: int, n_resamples: int, seed: int) -> Floats:
    """The figures of every resample of cases, a column each."""
    draws = resample_counts(len(sums), n_resamples=n_resamples, seed=seed)
    return np.concatenate([_figures(counts @ sums, k) for counts in draws])


def _figures(totals: Floats, k: int) -> Floats:
    """Columns: accuracy, macro-F1, then F1 of each label (nan where it was not wanted)."""
    right, wanted, given = totals[:, :k], totals[:, k : 2 * k], totals[:, 2 * k :]
    with np.errstate(divide="ignore", invalid="ignore"):
        f1 = np.where(wanted > 0, 2 * right / (wanted + given), np.nan)
    accuracy = right.sum(axis=1) / wanted.sum(axis=1)
    out: Floats = np.column_stack([accuracy, np.nanmean(f1, axis=1), f1])
    return out


def _bounds(lower: Floats, upper: Floats, seen: float, level: float) -> tuple[float, float] | None:
    lower, upper = lower[~np.isnan(lower)], upper[~np.isnan(upper)]
    if not lower.size or not upper.size or math.isnan(seen):
        return None
    low = float(np.quantile(lower, (1 - level) / 2))
    high = float(np.quantile(upper, (1 + level) / 2))
    return min(low, seen), max(high, seen)
