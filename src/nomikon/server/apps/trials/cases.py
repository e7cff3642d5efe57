"""The cases of a trial: those of its split, or its fixed sample of them."""

from __future__ import annotations

import random
from collections.abc import Sequence
from functools import lru_cache

from django.db.models import QuerySet

from nomikon.core.prompts.used_cases import used_cases
from nomikon.server.apps.datasets.models import Entry
from nomikon.server.apps.trials.models import Trial


def cases_of(trial: Trial) -> QuerySet[Entry]:
    """Its entries in the dataset's order."""
    entries = trial.dataset_version.entries.filter(split=trial.split).order_by("position")
    return entries if trial.sample is None else entries.filter(revision__in=trial.sample)


def sources_of(trial: Trial) -> dict[str, str]:
    """The source of each case that has one, by revision; empty where no two share one."""
    rows = cases_of(trial).exclude(revision__source="")
    found = {str(pk): source for pk, source in rows.values_list("revision_id", "revision__source")}
    return found if len(set(found.values())) < len(found) else {}


def sample_of(entries: Sequence[Entry], n: int, seed: int) -> list[Entry]:
    """n of the entries, drawn at random from a seed, in the dataset's order."""
    if n >= len(entries):
        return list(entries)
    chosen = set(random.Random(seed).sample(range(len(entries)), n))
    return [e for i, e in enumerate(entries) if i in chosen]


def example_cases(trial: Trial) -> frozenset[int]:
    """Revisions of its cases that one of its arms' texts shows as a worked example.

    They are left out of every figure, for all arms: that arm has seen the answer.
    """
    return _examples(trial.pk, trial.created_at.isoformat(), trial.arms.count(), trial.n_cases)


@lru_cache(maxsize=64)
def _examples(trial_id: int, made: str, n_arms: int, n_cases: int) -> frozenset[int]:
    """What a trial is made of only grows, which its counts tell; `made` tells trials apart."""
    trial = Trial.objects.get(pk=trial_id)
    rows = cases_of(trial).values_list("revision_id", "revision__inputs")
    cases = {str(pk): inputs for pk, inputs in rows}
    texts = {a.sends for a in trial.arms.all()}
    return frozenset(int(k) for text in texts for k in used_cases(text, cases))
