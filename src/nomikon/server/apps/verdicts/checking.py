"""The held-out check of two arms: an act of its own, on cases nobody tuned on, counted as a look."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nomikon.core.errors import PlanError
from nomikon.core.results import differences
from nomikon.core.stats.gap import CANNOT_TELL, Gap, gap_of_gains
from nomikon.server.apps.datasets.models import HELD_OUT, WORKING
from nomikon.server.apps.trials.brought import brought_in
from nomikon.server.apps.trials.looks import held_out_looks
from nomikon.server.apps.trials.models import COMPLETE, Arm, Trial
from nomikon.server.apps.trials.planning import (
    ArmChoice,
    Plan,
    entries_of,
    plan_of,
)
from nomikon.server.apps.trials.repeated import twin_of
from nomikon.server.apps.trials.results import figures_of, results_of

Floats = NDArray[np.float64]


def plan_check(trial: Trial, a: Arm, b: Arm) -> Plan:
    """A trial of exactly these two arms on the held-out cases of the same dataset version.

    Raises PlanError where there are none, or where this trial ran on them itself.
    """
    if trial.split == HELD_OUT:
        raise PlanError(f"trial {trial.number} ran on held-out cases already", field="split")
    entries = entries_of(trial.dataset_version, HELD_OUT)
    if not entries:
        raise PlanError(
            "this dataset has no held-out cases: hold some out under Cases, and tune on the rest",
            field="split",
        )
    asked = [x for x in (b, a) if not x.brought_in]
    arms = [
        ArmChoice(
            x.asked_version,
            x.asked_model,
            dict(x.settings),
            tuple(x.without),
            None if x.taken is None else x.sends,
            None if x.taken is None else tuple(x.taken),
        )
        for x in asked
    ]
    kept = [x.baseline_id for x in (b, a) if x.baseline_id is not None]
    # Answers from elsewhere stand after what is asked.
    places = [*asked, *(x for x in (b, a) if x.brought_in)]
    return plan_of(
        trial.brief,
        arms,
        trial.dataset_version,
        HELD_OUT,
        entries,
        trial.scorecard,
        repeats=trial.repeats,
        seed=trial.seed,
        continuations=trial.continuations,
        user=trial.user_model,
        reference=places.index(b),
        brought=brought_in(trial.brief, trial.dataset_version, entries, kept),
    )


def check_of(trial: Trial, a: Arm, b: Arm) -> dict[str, Any]:
    """The newest check of these two arms with its figures and the gap of the gains, if there is one."""
    looks = held_out_looks(trial.dataset_version.dataset)
    n_cases = trial.dataset_version.entries.filter(split=HELD_OUT).count()
    empty: dict[str, Any] = {"looks": looks, "n_cases": n_cases, "check": None}
    if trial.split != WORKING:
        return empty
    checks = Trial.objects.filter(
        brief=trial.brief_id, dataset_version=trial.dataset_version_id, split=HELD_OUT
    ).select_related("scorecard", "dataset_version__dataset")
    for check in checks.order_by("-number"):
        mine, other = twin_of(a, check), twin_of(b, check)
        if mine is not None and other is not None:
            return {**empty, "check": _told(trial, check, (a, b), (mine, other))}
    return empty


def _told(
    trial: Trial, check: Trial, arms: tuple[Arm, Arm], twins: tuple[Arm, Arm]
) -> dict[str, Any]:
    told: dict[str, Any] = {
        "trial": check.pk,
        "trial_number": check.number,
        "state": check.state,
        "difference": None,
        "gap": None,
    }
    if check.state != COMPLETE:
        return told
    working = gains_of(trial, *arms)
    found = gain_on_held_out(check, *twins, working)
    if trial.scorecard_id != check.scorecard_id:
        why = (
            f"trial {trial.number} is read by scorecard {trial.scorecard.number}, trial "
            f"{check.number} by {check.scorecard.number}: score one of them anew"
        )
        apart = Gap(None, None, None, None, None, CANNOT_TELL, why)
        found["gap"] = {**found["gap"], **apart.__dict__}
    return {**told, **found}


class Gains(NamedTuple):
    """What an arm scores more than another, case by case, and the source of each case, if told."""

    values: Floats
    sources: list[str] | None


def gains_of(trial: Trial, a: Arm, b: Arm) -> Gains:
    """a against b on every case that both have a score on."""
    table = results_of(trial)
    found = differences(table, str(a.pk), str(b.pk))
    return Gains(np.array(list(found.values()), dtype=np.float64), table.sources_of(list(found)))


def gain_on_held_out(check: Trial, a: Arm, b: Arm, working: Gains) -> dict[str, Any]:
    """a against b in a complete held-out trial, and the gap to their differences on working cases."""
    result = figures_of(check, against=b)
    found = next((c for c in result.comparisons if c.a == str(a.pk)), None) if result else None
    held = gains_of(check, a, b)
    margin = float(check.scorecard.document.get("margin", 0.05))
    gap = gap_of_gains(
        working.values, held.values, margin=margin, sources=(working.sources, held.sources)
    )
    return {
        "difference": found
        and {k: getattr(found, k) for k in ("difference", "low", "high", "p", "n_cases")},
        "gap": {**gap.__dict__, "n_working": working.values.size, "n_held_out": held.values.size},
    }
