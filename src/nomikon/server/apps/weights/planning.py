"""What a weighing will leave out, on which cases, and what that takes."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from nomikon.core.errors import PlanError
from nomikon.core.prompts import check_messages, clauses_of
from nomikon.core.prompts.leaving_out import Leaving, what_can_go
from nomikon.core.stats.screening import calls_one_by_one, screening_rows
from nomikon.core.trials.estimates import estimate_tokens
from nomikon.server.apps.briefs.models import Brief, Scorecard, Version
from nomikon.server.apps.datasets.models import WORKING
from nomikon.server.apps.trials.cases import sample_of
from nomikon.server.apps.trials.models import WEIGH, Trial
from nomikon.server.apps.trials.planning import ArmChoice, Plan, make_plan, plan_of

# More clauses at once would need more arms than anybody runs.
MOST_UNITS = 60
# So many ÷ margin are the fewest cases on which a clause can be seen to do nothing: without any
# difference the interval still reaches about 2.8 ÷ cases to either side.
CASES_BY_MARGIN = 3.0
# More cases than that are suggested up to this share of one clause at a time on all of them.
SHARE_OF_ONE_BY_ONE = 0.4


@dataclass(frozen=True)
class WeighingPlan:
    """trial: one arm a row of the screening. one_by_one: calls of the plain way, as precise.

    suggested: how many of the working cases, where none are named.
    """

    version: Version
    leaving: Leaving
    rows: list[frozenset[int]]
    trial: Plan
    suggested: int
    n_working: int
    one_by_one: int


def plan_weighing(
    brief: Brief,
    *,
    version: int,
    model: int,
    settings: Mapping[str, Any],
    dataset_version: int,
    cases: int | None = None,
    repeats: int = 1,
    keep: Sequence[int] = (),
) -> WeighingPlan:
    """Check every choice and estimate the screening.

    version: a number. cases: how many of the working ones, drawn at random; None for
    what is suggested. keep: clauses that are not to be left out.
    Raises PlanError, SettingsError or AmendmentError with the field.
    """
    whole = make_plan(
        brief,
        versions=[version],
        models=[model],
        settings=[settings],
        dataset_version=dataset_version,
        split=WORKING,
        repeats=repeats,
    )
    arm = whole.arms[0]
    leaving = what_can_go(check_messages(arm.version.messages), keep)
    n_units = len(leaving.free)
    _check_units(version, n_units)
    rows = screening_rows(n_units, seed=whole.seed)
    n_working = len(whole.entries)
    suggested, wanted = _how_many(cases, n_working, len(rows), n_units, whole.scorecard)
    trial = plan_of(
        brief,
        [
            replace(arm, without=tuple(sorted(n for u in row for n in leaving.free[u])))
            for row in rows
        ],
        whole.dataset_version,
        WORKING,
        sample_of(whole.entries, wanted, whole.seed),
        whole.scorecard,
        repeats=repeats,
        purpose=WEIGH,
        sampled=wanted < n_working,
    )
    return WeighingPlan(
        arm.version,
        leaving,
        rows,
        trial,
        suggested,
        n_working,
        calls_one_by_one(rows, n_units, wanted) * repeats,
    )


def plan_strike(
    trial: Trial, clauses: Sequence[int], pairs: Sequence[Sequence[int]], whole: Plan
) -> Plan:
    """Full prompt, the prompt without these clauses, and without each of these pairs.

    trial: the screening's. whole: its one arm on all working cases.
    """
    arm = whole.arms[0]
    groups = [tuple(sorted(clauses)), *(tuple(sorted(p)) for p in pairs)]
    arms: list[ArmChoice] = [arm]
    for group in dict.fromkeys(g for g in groups if g):
        arms.append(replace(arm, without=group))
    return plan_of(
        trial.brief,
        arms,
        whole.dataset_version,
        WORKING,
        whole.entries,
        trial.scorecard,
        repeats=trial.repeats,
        seed=trial.seed,
        purpose=WEIGH,
    )


def tokens_of(lines: Sequence[Mapping[str, Any]], numbers: Sequence[int]) -> int:
    """Rough number of tokens that these clauses take in every request. lines: of the weighing."""
    chosen = set(numbers)
    return sum(estimate_tokens(line["text"]) for line in lines if line["number"] in chosen)


def lines_of(version: Version) -> list[dict[str, Any]]:
    """The version's clauses in order, each with its message's role; first: of its message."""
    messages = check_messages(version.messages)
    found = clauses_of(messages)
    return [
        {
            "number": c.number,
            "role": messages[c.message].role,
            "first": i == 0 or found[i - 1].message != c.message,
            "text": c.text,
        }
        for i, c in enumerate(found)
    ]


def _how_many(
    cases: int | None, n_working: int, n_rows: int, n_units: int, scorecard: Scorecard
) -> tuple[int, int]:
    """How many cases are suggested, and how many it shall be."""
    margin = float(scorecard.document.get("margin", 0.05))
    share = SHARE_OF_ONE_BY_ONE * (n_units + 1) * n_working / n_rows
    suggested = min(n_working, math.ceil(max(CASES_BY_MARGIN / margin, share)))
    wanted = suggested if cases is None else cases
    if not 2 <= wanted <= n_working:
        raise PlanError(
            f"cases is {wanted}; allowed is 2 to {n_working}, the working cases there are",
            field="cases",
        )
    return suggested, wanted


def _check_units(version: int, n_units: int) -> None:
    if n_units == 0:
        raise PlanError(
            f"v{version} has no clause that could be left out: each brings an input in, fixes the "
            "form of the answer, or is kept",
            field="version",
        )
    if n_units > MOST_UNITS:
        raise PlanError(
            f"v{version} has {n_units} clauses that could be left out, and {MOST_UNITS} can be "
            "weighed at once: say which to keep",
            field="keep",
        )
