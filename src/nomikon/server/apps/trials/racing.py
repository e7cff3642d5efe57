"""What a race changes: outputs that are not asked for any more."""

from __future__ import annotations

from django.db.models import Q

from nomikon.server.apps.trials.models import Output, Trial


def wanted_outputs(trial: Trial) -> int:
    """All outputs a trial is to hold: those of running arms, and what is there of those that are not
    asked: dropped ones, and answers that were brought in."""
    running = trial.arms.filter(dropped__isnull=True, baseline=None).count()
    return running * trial.n_cases * trial.repeats + had_outputs(trial)


def had_outputs(trial: Trial) -> int:
    """Outputs of arms that are not asked any more, or never were."""
    rest = Q(arm__dropped__isnull=False) | Q(arm__baseline__isnull=False)
    return Output.objects.filter(rest, arm__trial=trial).count()


def spared_outputs(trial: Trial) -> int:
    """How many outputs the race did not have to ask for."""
    return trial.arms.count() * trial.n_cases * trial.repeats - trial.n_outputs
