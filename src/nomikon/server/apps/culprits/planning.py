"""Which texts are run to tell the amendments between two arms apart, on which cases, and what that takes."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from nomikon.core.errors import DomainError, PlanError
from nomikon.core.prompts import (
    Amendment,
    Revision,
    amendments_between,
    as_rows,
    check_messages,
)
from nomikon.core.prompts.going_together import requires_of
from nomikon.core.results.figures import matrix
from nomikon.core.stats.culprits import (
    FEW_EXACT,
    Order,
    Subset,
    groups_of,
    orders_of,
    subsets_to_run,
)
from nomikon.server.apps.datasets.models import WORKING, Entry
from nomikon.server.apps.trials.cases import cases_of
from nomikon.server.apps.trials.models import COMPARE, COMPLETE, CULPRITS, Arm, Trial
from nomikon.server.apps.trials.planning import ArmChoice, Plan, plan_of
from nomikon.server.apps.trials.results import results_of

# Cases that moved, and as many that did not, at most: more would tell little more and cost the same
# again for every text.
MOST_MOVED = 60
# Of the rarer kind so many are asked, where there are: three lost cases among many won are what is asked about.
FEWEST_OF_A_KIND = 10
# A mean over repeats that differs by less did not move.
MOVED = 1e-9


@dataclass(frozen=True)
class SearchPlan:
    """subsets: the amendments taken in each text, as the trial's arms. better, worse: entries that
    moved and are asked again; trial: with as many that did not. n_better, n_worse: of all cases."""

    of: Trial
    older: Arm
    newer: Arm
    amendments: list[dict[str, Any]]
    subsets: list[Subset]
    better: list[Entry]
    worse: list[Entry]
    n_better: int
    n_worse: int
    trial: Plan
    orders: list[Order]

    @property
    def new_texts(self) -> int:
        """Texts that neither version is."""
        return len(self.subsets) - 2

    @property
    def new_cost(self) -> int | None:
        """What the texts cost that were not run before, in billionths; None without a price."""
        return self._new(self.trial.estimate.cost)

    @property
    def new_simulated(self) -> int:
        """The part of it on simulated models."""
        return self._new(self.trial.simulated_cost) or 0

    def _new(self, whole: int | None) -> int | None:
        return None if whole is None else round(whole * self.new_texts / len(self.subsets))


def plan_search(trial: Trial, older: int, newer: int, orders: int = 0) -> SearchPlan:
    """Check the two arms and estimate the search. older, newer: ids of arms of the trial. orders: how many
    are drawn where the amendments are too many for every text.

    Raises PlanError saying what stands in the way, with the field.
    """
    a, b = _arms(trial, older, newer)
    revision = between(a, b)
    requires = requires_of(revision, a.sends, b.sends)
    amendments = [as_row(x, requires[x.id]) for x in revision.amendments]
    if len(groups_of(requires)) < 2:
        raise PlanError(
            "one amendment alone lies between these versions: it did it"
            if amendments
            else "the two arms send the same text: nothing between them can have done it",
            field="newer",
        )
    few = len(groups_of(requires)) <= FEW_EXACT
    drawn = [] if few else orders_of(requires, orders, trial.seed)
    subsets = subsets_to_run(requires, drawn)
    arms = [_choice(a, b, revision, subset) for subset in subsets]
    better, worse, still = _moved(trial, a, b)
    n_better, n_worse = len(better), len(worse)
    if not better and not worse:
        raise PlanError(
            "no case moved between these two: there is nothing to explain", field="newer"
        )
    draw = random.Random(trial.seed)
    share = min(1.0, MOST_MOVED / (n_better + n_worse))
    better, worse = (
        _drawn(x, max(FEWEST_OF_A_KIND, round(len(x) * share)), draw) for x in (better, worse)
    )
    still = _drawn(still, len(better) + len(worse), draw)
    chosen = {e.pk for e in (*better, *worse, *still)}
    entries = [e for e in _entries(trial) if e.pk in chosen]
    plan = plan_of(
        trial.brief,
        arms,
        trial.dataset_version,
        trial.split,
        entries,
        trial.scorecard,
        repeats=trial.repeats,
        seed=trial.seed,
        generation=trial.generation,
        continuations=trial.continuations,
        user=trial.user_model,
        purpose=CULPRITS,
        sampled=True,
        reference=0,
    )
    return SearchPlan(
        trial, a, b, amendments, subsets, better, worse, n_better, n_worse, plan, drawn
    )


def between(older: Arm, newer: Arm) -> Revision:
    """What leads from the text and settings of one arm to those of another."""
    return amendments_between(older.sends, newer.sends, older.settings, newer.settings)


def as_row(amendment: Amendment, requires: Sequence[str]) -> dict[str, Any]:
    """An amendment as it is kept with a search."""
    clause = amendment.after or amendment.before
    text = amendment.detail or (clause.text if clause else "")
    return {
        "id": amendment.id,
        "kind": amendment.kind,
        "clause": clause.number if clause else None,
        "text": text,
        "requires": list(requires),
    }


def _arms(trial: Trial, older: int, newer: int) -> tuple[Arm, Arm]:
    if trial.state != COMPLETE:
        raise PlanError(
            f"trial {trial.number} is {trial.state}: what moved is known once it is complete",
            field="newer",
        )
    if trial.purpose != COMPARE:
        raise PlanError(
            f"trial {trial.number} does not compare versions: choose one that does", field="newer"
        )
    if trial.split != WORKING:
        raise PlanError(
            f"trial {trial.number} ran on held-out cases: looking for what moved them would be tuning "
            "on them",
            field="newer",
        )
    asked = trial.arms.filter(baseline=None).select_related("version", "model__connection")
    found = {arm.pk: arm for arm in asked}
    if older not in found or newer not in found:
        raise PlanError(
            "choose two arms of this trial that were asked: what was brought in has no text",
            field="newer",
        )
    a, b = found[older], found[newer]
    if a.model_id != b.model_id:
        raise PlanError(
            "the two arms are on different models, so the text alone cannot have done it: choose two "
            "on the same",
            field="newer",
        )
    return a, b


def _choice(older: Arm, newer: Arm, revision: Revision, taken: Subset) -> ArmChoice:
    """The arm that sends the older text with some of the amendments."""
    if len(taken) in (0, len(revision.amendments)):
        arm = newer if taken else older
        return ArmChoice(arm.asked_version, arm.asked_model, dict(arm.settings), tuple(arm.without))
    try:
        messages, settings = revision.apply(taken)
        check_messages(as_rows(messages))
    except DomainError as error:
        named = ", ".join(sorted(taken)) or "no amendment"
        raise PlanError(f"the text with {named} alone cannot stand: {error.message}") from error
    return ArmChoice(
        newer.asked_version,
        newer.asked_model,
        dict(settings),
        text=tuple(messages),
        taken=tuple(sorted(taken)),
    )


def _moved(trial: Trial, a: Arm, b: Arm) -> tuple[list[Entry], list[Entry], list[Entry]]:
    """Entries that got better, worse, and neither; cases without a score by either are in none."""
    table = results_of(trial)
    arms, cases, means = matrix(table)
    columns = [arms.index(str(x.pk)) for x in (a, b) if str(x.pk) in arms]
    if len(columns) < 2:
        return [], [], []
    change = means[:, columns[1]] - means[:, columns[0]]
    by_case = dict(zip(cases, change.tolist(), strict=True))
    found: tuple[list[Entry], list[Entry], list[Entry]] = ([], [], [])
    for entry in _entries(trial):
        by = by_case.get(str(entry.revision_id))
        if by is None or np.isnan(by):
            continue
        found[0 if by > MOVED else 1 if by < -MOVED else 2].append(entry)
    return found


def _entries(trial: Trial) -> list[Entry]:
    return list(cases_of(trial).select_related("revision__case"))


def _drawn(entries: Sequence[Entry], n: int, draw: random.Random) -> list[Entry]:
    return list(entries) if n >= len(entries) else draw.sample(list(entries), n)
