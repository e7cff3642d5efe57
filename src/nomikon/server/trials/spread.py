"""What a complete trial says beyond its means: the credible set, effects, slices, two arms by case."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

import numpy as np

from nomikon.core.stats.compare import PairComparison, case_means, compare
from nomikon.core.stats.credible import CredibleSet, credible_set
from nomikon.core.stats.effects import Effects, FactorRow, effects_of
from nomikon.core.stats.slices import Slice, slices_of
from nomikon.server.trials.board import arm_facts, score_rows, state_key
from nomikon.server.trials.cases import cases_of
from nomikon.server.trials.models import Arm, Trial

# A reference as short as this is a label.
LONGEST_LABEL = 40
MOST_PARTS = 40


def scores_by_case(trial: Trial, arm: Arm) -> dict[str, float]:
    """One arm's mean score of every case it answered whole, by case revision."""
    _, cases, means = case_means(r for r in score_rows(trial) if r.arm == str(arm.pk))
    if not cases:
        return {}
    pairs = zip(cases, means[:, 0], strict=True)
    return {case: float(mean) for case, mean in pairs if not np.isnan(mean)}


def differences(trial: Trial, a: Arm, b: Arm) -> dict[str, float]:
    """a − b by case revision, where both answered."""
    left, right = scores_by_case(trial, a), scores_by_case(trial, b)
    return {case: left[case] - right[case] for case in left if case in right}


def credible_arms(trial: Trial) -> list[int]:
    """Ids of the arms that no rival beats; arms that left a race are beaten."""
    arms, found = _credible(*_state(trial))
    return [int(arms[i]) for i in found.members]


def all_at_once(trial: Trial, against: Arm) -> dict[int, float]:
    """Half widths, by arm, of the intervals that hold for the differences of all arms together.

    Worked out on the cases that every arm has; an arm that left a race has none.
    """
    arms, found = _credible(*_state(trial))
    if str(against.pk) not in arms:
        return {}
    half = found.half_widths[:, arms.index(str(against.pk))]
    return {int(a): float(h) for a, h in zip(arms, half, strict=True) if h > 0}


def scored_as_zero(trial: Trial, a: Arm, b: Arm) -> PairComparison | None:
    """a against b with every missing score counted 0 instead; None where none is missing."""
    return _as_zero(a.pk, b.pk, *_state(trial))


@lru_cache(maxsize=64)
def _as_zero(
    a: int, b: int, trial_id: int, newest: int, n: int, scorecard: int, changed: int
) -> PairComparison | None:
    trial = Trial.objects.select_related("scorecard").get(pk=trial_id)
    rows = [r for r in score_rows(trial) if r.arm in (str(a), str(b))]
    if len({r.arm for r in rows}) < 2 or all(r.score is not None for r in rows):
        return None
    margin = float(trial.scorecard.document.get("margin", 0.05))
    return compare(rows, against=str(b), missing="zero", margin=margin).comparisons[0]


def _state(trial: Trial) -> tuple[int, int, int, int, int]:
    return (trial.pk, *state_key(trial), trial.scorecard_id, trial.scores_changed)


@lru_cache(maxsize=64)
def _credible(
    trial_id: int, newest: int, n: int, scorecard: int, changed: int
) -> tuple[list[str], CredibleSet]:
    trial = Trial.objects.get(pk=trial_id)
    left = {str(pk) for pk in trial.arms.filter(dropped__isnull=False).values_list("id", flat=True)}
    arms, _, means = case_means(r for r in score_rows(trial) if r.arm not in left)
    if not arms:
        return [], CredibleSet([], np.zeros((0, 0)))
    return arms, credible_set(means[~np.isnan(means).any(axis=1)])


def effects_in(trial: Trial) -> Effects:
    """How much of the spread is due to what, among the arms tried that were run to the end."""
    return _effects(*_state(trial))


@lru_cache(maxsize=64)
def _effects(trial_id: int, newest: int, n: int, scorecard: int, changed: int) -> Effects:
    trial = Trial.objects.get(pk=trial_id)
    arms = trial.arms.filter(dropped__isnull=True).select_related("version", "model__connection")
    facts = {str(a.pk): arm_facts(a) for a in arms}
    rows = [
        FactorRow(
            str(facts[r.arm]["version_label"]),
            str(facts[r.arm]["model"]),
            str(facts[r.arm]["settings_short"]),
            r.case,
            r.repeat,
            r.score,
        )
        for r in score_rows(trial)
        if r.arm in facts
    ]
    return effects_of(rows)


def slices_in(trial: Trial, a: Arm, b: Arm) -> tuple[list[Slice], int]:
    """a against b by tag, by label of the reference and by length of the input."""
    apart = differences(trial, a, b)
    if not apart:
        return [], 0
    return slices_of(apart, _parts(trial, apart))


def _parts(trial: Trial, compared: Mapping[str, float]) -> list[tuple[str, list[str]]]:
    tags: dict[str, list[str]] = {}
    labels: dict[str, list[str]] = {}
    lengths: list[tuple[int, str]] = []
    entries = cases_of(trial).values_list(
        "revision_id", "revision__tags", "revision__reference", "revision__inputs"
    )
    for revision, own, reference, inputs in entries:
        case = str(revision)
        if case not in compared:
            continue
        for tag in own or ():
            tags.setdefault(f"tag {tag}", []).append(case)
        if reference and len(reference) <= LONGEST_LABEL and "\n" not in reference:
            labels.setdefault(f"reference {reference}", []).append(case)
        lengths.append((sum(len(str(v)) for v in inputs.values() if v is not None), case))
    lengths.sort()
    third = len(lengths) // 3
    by_length = [
        ("the shortest third of inputs", [c for _, c in lengths[:third]]),
        ("the longest third of inputs", [c for _, c in lengths[-third:]] if third else []),
    ]
    known = [*tags.items(), *(labels.items() if len(labels) <= MOST_PARTS else ())]
    return [*known[:MOST_PARTS], *by_length]


def spread_of(trial: Trial, a: Arm, b: Arm) -> dict[str, Any]:
    """Effects and slices as they are shown."""
    effects = effects_in(trial)
    slices, small = slices_in(trial, a, b)
    return {
        "shares": [s.__dict__ for s in effects.shares],
        "effects": [e.__dict__ for e in effects.effects],
        "negative": effects.negative,
        "repeat_sd": effects.repeat_sd,
        "why_null": effects.why_null,
        "slices": [s.__dict__ for s in slices],
        "too_small": small,
    }
