"""The cases of a trial: those of its split, or its fixed sample of them."""

from __future__ import annotations

import random
from collections.abc import Sequence

from django.db.models import QuerySet

from nomikon.server.datasets.models import Entry
from nomikon.server.trials.models import Trial


def cases_of(trial: Trial) -> QuerySet[Entry]:
    """Its entries in the dataset's order."""
    entries = trial.dataset_version.entries.filter(split=trial.split).order_by("position")
    return entries if trial.sample is None else entries.filter(revision__in=trial.sample)


def sample_of(entries: Sequence[Entry], n: int, seed: int) -> list[Entry]:
    """n of the entries, drawn at random from a seed, in the dataset's order."""
    if n >= len(entries):
        return list(entries)
    chosen = set(random.Random(seed).sample(range(len(entries)), n))
    return [e for i, e in enumerate(entries) if i in chosen]
