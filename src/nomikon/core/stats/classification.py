"""Labels given against labels wanted: accuracy, precision, recall, F1, the confusion matrix."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

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
