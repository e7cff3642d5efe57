"""Trials and arms that a request names."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone

from nomikon.server.apps.trials.models import Arm, Trial
from nomikon.server.apps.trials.reworking import bring_figures_up


def trial_or_404(trial_id: int) -> Trial:
    """A trial with what every view of it shows, its stored figures by the rules of today."""
    found = get_object_or_404(
        Trial.objects.select_related("scorecard", "dataset_version__dataset", "brief"), pk=trial_id
    )
    bring_figures_up(found, timezone.now())
    return found


def two_arms(trial: Trial, arm_id: int, against_id: int) -> tuple[Arm, Arm]:
    arms = Arm.objects.select_related("version", "model__connection")
    a = get_object_or_404(arms, pk=arm_id, trial=trial)
    return a, get_object_or_404(arms, pk=against_id, trial=trial)
