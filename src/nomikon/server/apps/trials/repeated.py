"""Trials that ask the same question again: later ones count as extensions of the first."""

from __future__ import annotations

import json
from functools import lru_cache

from nomikon.core.stats.words import level_after
from nomikon.server.apps.trials.cases import cases_of
from nomikon.server.apps.trials.models import COMPARE, COMPLETE, Arm, Trial

# So many of the trials before are looked at.
MOST_EARLIER = 50
# Arms and cases that are the same make a trial a repetition of an earlier one.
FEWEST_ARMS, SHARE_OF_CASES = 2, 0.5

Identity = tuple[int, int, int, str, str]


def identity_of(arm: Arm) -> Identity:
    """What an arm is, whatever trial it is in: version, model, settings and what it leaves out, or
    whose answers were brought in."""
    settings = json.dumps(arm.settings, sort_keys=True)
    of = (arm.version_id or 0, arm.model_id or 0, arm.baseline_id or 0)
    return *of, settings, json.dumps([arm.without, arm.taken])


def earlier_of(trial: Trial) -> list[Trial]:
    """Complete trials before this one that compared two of its arms on at least half of its cases."""
    found = dict(_before(trial))
    return list(Trial.objects.filter(pk__in=found).order_by("number")) if found else []


def _before(trial: Trial) -> tuple[tuple[int, int], ...]:
    """Id and extensions of each."""
    if trial.purpose != COMPARE:
        return ()
    rows = Trial.objects.filter(
        brief=trial.brief_id,
        purpose=COMPARE,
        state=COMPLETE,
        split=trial.split,
        number__lt=trial.number,
    ).order_by("-number")
    before = tuple(rows.values_list("pk", "extensions")[:MOST_EARLIER])
    made = trial.created_at.isoformat()
    return _alike(trial.pk, made, trial.arms.count(), trial.n_cases, before) if before else ()


@lru_cache(maxsize=256)
def _alike(
    trial_id: int, made: str, n_arms: int, n_cases: int, before: tuple[tuple[int, int], ...]
) -> tuple[tuple[int, int], ...]:
    """What a trial is made of only grows, which its counts tell; `made` tells trials apart."""
    trial = Trial.objects.prefetch_related("arms").get(pk=trial_id)
    own = {identity_of(a) for a in trial.arms.all()}
    known = dict(before)
    alike = [
        t
        for t in Trial.objects.filter(pk__in=known).prefetch_related("arms")
        if len(own & {identity_of(a) for a in t.arms.all()}) >= FEWEST_ARMS
    ]
    cases = set(cases_of(trial).values_list("revision_id", flat=True)) if alike else set()
    return tuple(
        (t.pk, known[t.pk])
        for t in alike
        if len(cases & set(cases_of(t).values_list("revision_id", flat=True)))
        >= SHARE_OF_CASES * len(cases)
    )


def level_of(trial: Trial) -> float:
    """What a trial's family of tests is held to: less for every look at the same before it."""
    looks = sum(1 + extensions for _, extensions in _before(trial))
    return level_after(trial.extensions + looks)


def twin_of(arm: Arm, trial: Trial) -> Arm | None:
    """The arm of another trial that is the same version, model and settings."""
    # All of them, so that arms read before are not read again.
    wanted = identity_of(arm)
    return next((a for a in trial.arms.all() if identity_of(a) == wanted), None)
