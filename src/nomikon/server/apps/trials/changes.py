"""What another scorecard, or a corrected reference, has made of a trial's figures."""

from __future__ import annotations

from nomikon.core.results import arm_figures
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.trials.reads import RescoredArm
from nomikon.server.apps.trials.results import results_of


def means_by(trial: Trial) -> dict[int, float | None]:
    """Each arm's mean by the scorecard the trial is read by, cases in common."""
    return {int(name): a.mean for name, a in arm_figures(results_of(trial)).items()}


def changes_of(trial: Trial, before: dict[int, float | None]) -> list[RescoredArm]:
    """Arm by arm what has changed since the means were `before`."""
    after = means_by(trial)
    return [{"arm": arm, "before": before.get(arm), "after": after[arm]} for arm in after]
