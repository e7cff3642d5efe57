"""A brief's trials as a list: what was asked, how far it came, what it showed and took, by whom."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from django.db.models import Count

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.trials.facts import names_in, trial_facts
from nomikon.server.apps.trials.headline import Mean, means_of
from nomikon.server.apps.trials.models import COMPLETE, Arm, Output, Trial
from nomikon.server.in_place import in_place

# So many arms are named; the others are counted.
NAMED = 4


def trials_of(brief: Brief) -> list[dict[str, Any]]:
    """Newest first."""
    trials = list(
        Trial.objects.filter(brief=brief)
        .select_related("scorecard", "dataset_version__dataset")
        .order_by("-number")
    )
    done = dict(
        Output.objects.filter(arm__trial__brief=brief)
        .values_list("arm__trial")
        .annotate(n=Count("id"))
        .values_list("arm__trial", "n")
    )
    arms: dict[int, list[Arm]] = defaultdict(list)
    for arm in (
        Arm.objects.filter(trial__brief=brief)
        .select_related("version", "model__connection")
        .order_by("position")
    ):
        arms[arm.trial_id].append(arm)
    by = dict(
        Line.objects.filter(brief=brief, what="trial.started", subject="trial").values_list(
            "subject_id", "actor"
        )
    )
    return [_row(t, arms[t.pk], done.get(t.pk, 0), by.get(t.pk, "")) for t in trials]


def _row(trial: Trial, arms: list[Arm], done: int, by: str) -> dict[str, Any]:
    names = names_in(arms)
    means: dict[int, Mean] = (
        in_place(lambda: means_of(trial), dict, f"trial {trial.pk}")
        if trial.state == COMPLETE
        else {}
    )
    best = max(means, key=lambda pk: means[pk].mean, default=None)
    priced = any(a.price_in_nano is not None for a in arms)
    return {
        **trial_facts(trial),
        "done": done,
        "n_arms": len(arms),
        "arms": [names[a.pk] for a in arms[:NAMED]],
        "best": None if best is None else {"name": names[best], **means[best].__dict__},
        "simulated_spent": trial.simulated_nano,
        "spent": trial.spent_nano if priced else None,
        "by": by,
        "simulated": _simulated(arms),
    }


def _simulated(arms: list[Arm]) -> bool:
    """Whether simulated models alone were asked."""
    asked = [a.model for a in arms if a.model]
    return bool(asked) and all(m.is_simulated for m in asked)
