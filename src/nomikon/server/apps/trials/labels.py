"""An arm's answers as labels against the references, as they are shown."""

from __future__ import annotations

from nomikon.core.measures import read_scorecard
from nomikon.core.results.labels import LabelRow
from nomikon.core.results.labels import labels_of as read_labels
from nomikon.server.apps.trials.cases import example_cases
from nomikon.server.apps.trials.models import Arm, Output
from nomikon.server.apps.trials.reads import LabelFiguresShape, LabelsShape
from nomikon.server.typed import copied


def labels_of(arm: Arm, field: str | None) -> LabelsShape:
    """Confusion matrix, figures, and for every cell the outputs in it.

    Failed calls are missing and left out, as in every comparison, and so are cases that an arm
    of the trial shows as worked examples.
    """
    rows = list(
        Output.objects.filter(arm=arm, failure="", revision__reference__isnull=False)
        .exclude(revision__in=example_cases(arm.trial))
        .order_by("revision__case__number", "repeat")
        .values_list(
            "id", "text", "outcome", "revision__reference", "revision__case__number", "repeat"
        )
    )
    # A text without its part says nothing: no label either.
    begins = read_scorecard(arm.trial.scorecard.document).beginning
    read = read_labels(
        [LabelRow(begins.part_of(r[1]) or "", r[2], str(r[3]), str(r[4])) for r in rows], field
    )
    found, apart = read.found, read.apart
    return {
        "choices": read.fields,
        "field": read.field,
        "rows": found.rows,
        "columns": found.columns,
        "matrix": found.matrix.tolist(),
        "accuracy": found.accuracy,
        "macro_f1": found.macro_f1,
        "accuracy_interval": _ends(apart.accuracy),
        "macro_f1_interval": _ends(apart.macro_f1),
        "per_label": [
            copied(LabelFiguresShape, f, f1_interval=_ends(apart.f1.get(f.label)))
            for f in found.per_label
        ],
        "cells": [
            {
                "row": row,
                "column": column,
                "outputs": [
                    {
                        "output": rows[at][0],
                        "case": rows[at][4],
                        "repeat": rows[at][5],
                        "said": read.given[at],
                    }
                    for at in places
                ],
            }
            for (row, column), places in read.cells.items()
        ],
    }


def _ends(interval: tuple[float, float] | None) -> list[float] | None:
    return None if interval is None else list(interval)
