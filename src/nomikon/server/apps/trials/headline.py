"""What desk and spine tell of a complete trial, kept with it so that they need not read its answers.

Kept under a key of all that could change it; another key, and it is worked out anew.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from nomikon.core.results import arm_figures, beaten, shown_ahead
from nomikon.core.rules import FIGURES_RULE, figures_rule
from nomikon.server.apps.trials.models import COMPLETE, Arm, Trial
from nomikon.server.apps.trials.results import results_of


@dataclass(frozen=True)
class Mean:
    """An arm's mean score with its interval."""

    mean: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class Beaten:
    """The arm that beats another by most, by how much, and how surely."""

    rival: int
    difference: float
    p: float


def means_of(trial: Trial) -> dict[int, Mean]:
    """The mean of every arm of a complete trial that has one."""
    return {int(arm): Mean(*row) for arm, row in _kept(trial)["means"].items()}


def mean_in(trial: Trial, arm: Arm) -> Mean | None:
    """The mean of one arm of a complete trial; None where it has none."""
    row = _kept(trial)["means"].get(str(arm.pk))
    return row and Mean(*row)


def ahead_in(trial: Trial, arm: Arm) -> frozenset[int]:
    """The arms of a complete trial that one of its arms is shown to be ahead of."""
    return frozenset(_kept(trial)["ahead"].get(str(arm.pk), ()))


def answered_in(trial: Trial) -> int:
    """How many of a complete trial's outputs have an answer."""
    return int(_kept(trial)["answered"])


def beaten_in(trial: Trial, arm: Arm) -> Beaten | None:
    """Which arm of a complete trial beats this one, at the trial's own level; None where none does."""
    kept = _kept(trial)
    if str(arm.pk) not in kept["beaten"]:
        kept["beaten"][str(arm.pk)] = _beaten(trial, arm)
        Trial.objects.filter(pk=trial.pk).update(headline=kept)
    row = kept["beaten"][str(arm.pk)]
    return row and Beaten(*row)


def _kept(trial: Trial) -> dict[str, Any]:
    assert trial.state == COMPLETE
    if not _fits(trial):
        # The same trial may be at hand several times: another one may have kept it since.
        trial.refresh_from_db(fields=["headline"])
    if not _fits(trial):
        table = results_of(trial)
        # results_of may have brought the trial to today's rules, which changes its key.
        trial.headline = {
            "key": _key(trial),
            "means": {
                a.arm: [a.mean, a.low, a.high]
                for a in arm_figures(table).values()
                if a.mean is not None
            },
            "ahead": {a: [int(b) for b in others] for a, others in shown_ahead(table).items()},
            "answered": sum(not f for f in table.failure),
            "beaten": {},
        }
        Trial.objects.filter(pk=trial.pk).update(headline=trial.headline)
    kept: dict[str, Any] = trial.headline or {}
    return kept


def _fits(trial: Trial) -> bool:
    kept: dict[str, Any] = trial.headline or {}
    return kept.get("key") == _key(trial)


def _key(trial: Trial) -> list[Any]:
    return [
        FIGURES_RULE,
        figures_rule(),
        trial.figures_rule,
        trial.scorecard_id,
        trial.scores_changed,
        trial.n_outputs,
        trial.extensions,
        trial.finished_at and trial.finished_at.isoformat(),
    ]


def _beaten(trial: Trial, arm: Arm) -> list[Any] | None:
    table = results_of(trial)
    most = beaten(table, str(arm.pk), table.alpha)
    return None if most is None else [int(most.a), most.difference, most.p_holm]
