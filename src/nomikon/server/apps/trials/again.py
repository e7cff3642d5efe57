"""What a trial was planned from, read back from what was stored, for another one like it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from nomikon.core.trials.choosing import CasesChoice
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.trials.reads import CasesChoiceShape, ChoicesShape
from nomikon.server.typed import copied


def choices_of(trial: Trial) -> ChoicesShape:
    """Versions, models and settings of its arms, its cases and how it ran."""
    every = list(trial.arms.select_related("version", "model").order_by("position"))
    arms = [a for a in every if not a.brought_in]
    variants: list[dict[str, Any]] = []
    for arm in arms:
        # What the trial laid over the version's own.
        over = {k: v for k, v in arm.settings.items() if arm.asked_version.settings.get(k) != v}
        if over not in variants:
            variants.append(over)
    # Kept by an older program it may lack what was added since.
    kept = asdict(CasesChoice(**trial.choice)) if trial.choice else None
    return {
        "question": trial.question,
        "versions": list(dict.fromkeys(a.asked_version.number for a in arms)),
        "models": list(dict.fromkeys(a.asked_model.pk for a in arms)),
        "baselines": [a.baseline_id for a in every if a.baseline_id is not None],
        "settings": variants or [{}],
        "dataset": trial.dataset_version.dataset_id,
        "split": trial.split,
        "repeats": trial.repeats,
        "continuations": trial.continuations,
        "user_model": trial.user_model_id,
        "racing": trial.racing,
        "cases": None if kept is None else copied(CasesChoiceShape, kept),
    }
