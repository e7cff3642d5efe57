"""What a race changes: outputs that are not asked for any more."""

from __future__ import annotations

from nomikon.server.apps.trials.models import Output, Trial


def wanted_outputs(trial: Trial) -> int:
    """All outputs a trial is to hold: those of running arms, and what dropped ones have."""
    running = trial.arms.filter(dropped__isnull=True).count()
    had = Output.objects.filter(arm__trial=trial, arm__dropped__isnull=False).count()
    return running * trial.n_cases * trial.repeats + had


def spared_outputs(trial: Trial) -> int:
    """How many outputs the race did not have to ask for."""
    return trial.arms.count() * trial.n_cases * trial.repeats - trial.n_outputs
