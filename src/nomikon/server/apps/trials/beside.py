"""Two trials beside each other: the arms that both have, on the same cases or on others."""

from __future__ import annotations

from nomikon.core.errors import PlanError
from nomikon.core.results import case_scores
from nomikon.core.results.beside import beside
from nomikon.server.apps.trials.facts import names_of
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.trials.reads import BesideRow, BesideShape
from nomikon.server.apps.trials.repeated import twin_of
from nomikon.server.apps.trials.results import results_of
from nomikon.server.typed import copied


def beside_of(trial: Trial, other: Trial) -> BesideShape:
    """Every arm of a trial that another has, too. Raises PlanError where they belong apart."""
    if trial.brief_id != other.brief_id:
        raise PlanError("these trials belong to different briefs", field="other")
    if trial.pk == other.pk:
        raise PlanError("choose another trial", field="other")
    own, theirs = results_of(trial), results_of(other)
    names = names_of(trial.pk)
    rows: list[BesideRow] = []
    alone = []
    for arm in trial.arms.select_related("version", "model").order_by("position"):
        twin = twin_of(arm, other)
        if twin is None:
            alone.append(names[arm.pk])
            continue
        found = beside(case_scores(own, str(arm.pk)), case_scores(theirs, str(twin.pk)))
        rows.append(copied(BesideRow, found, arm=arm.pk, twin=twin.pk, name=names[arm.pk]))
    return {
        "trial": trial.number,
        "other": other.number,
        "same_scorecard": trial.scorecard_id == other.scorecard_id,
        "rows": rows,
        "alone": alone,
    }
