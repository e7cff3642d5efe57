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
    arms = list(trial.arms.select_related("version").order_by("position"))
    variants: list[dict[str, Any]] = []
    for arm in arms:
        # What the trial laid over the version's own.
        over = {k: v for k, v in arm.settings.items() if arm.version.settings.get(k) != v}
        if over not in variants:
            variants.append(over)
    # Kept by an older program it may lack what was added since.
    kept = asdict(CasesChoice(**trial.choice)) if trial.choice else None
    return {
        "question": trial.question,
        "versions": list(dict.fromkeys(a.version.number for a in arms)),
        "models": list(dict.fromkeys(a.model_id for a in arms)),
        "settings": variants or [{}],
        "dataset": trial.dataset_version.dataset_id,
        "split": trial.split,
        "repeats": trial.repeats,
        "continuations": trial.continuations,
        "user_model": trial.user_model_id,
        "racing": trial.racing,
        "cases": None if kept is None else copied(CasesChoiceShape, kept),
    }
