"""Held-out cases are only worth something while they are looked at seldom: every look counts."""

from __future__ import annotations

from nomikon.server.apps.datasets.models import HELD_OUT, Dataset
from nomikon.server.apps.trials.models import Trial


def held_out_looks(dataset: Dataset) -> int:
    """How many trials have run on held-out cases of any version of a dataset, whoever asked."""
    return Trial.objects.filter(dataset_version__dataset=dataset, split=HELD_OUT).count()
