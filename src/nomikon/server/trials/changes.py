"""What another scorecard, or a corrected reference, has made of a trial's figures."""

from __future__ import annotations

from typing import Any

from nomikon.server.trials.board import figures_of
from nomikon.server.trials.models import Trial


def means_by(trial: Trial) -> dict[int, float | None]:
    """Each arm's mean by the scorecard the trial is read by, cases in common."""
    figures = figures_of(trial)
    found = {int(a.arm): a.mean for a in figures.arms} if figures else {}
    return {arm.pk: found.get(arm.pk) for arm in trial.arms.all()}


def changes_of(trial: Trial, before: dict[int, float | None]) -> list[dict[str, Any]]:
    """Arm by arm what has changed since the means were `before`."""
    after = means_by(trial)
    return [{"arm": arm, "before": before.get(arm), "after": after[arm]} for arm in after]
