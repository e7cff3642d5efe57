"""Answers from elsewhere as arms: which of them hold for a trial's cases, and how they are stored."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db import connection

from nomikon.core.errors import PlanError
from nomikon.core.rules import OUTCOME_RULE
from nomikon.core.trials import outcome_of
from nomikon.core.trials.plan import Problem
from nomikon.server.apps.baselines.facts import holding_answers
from nomikon.server.apps.baselines.models import Baseline, BaselineAnswer
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.models import DatasetVersion, Entry
from nomikon.server.apps.trials.models import Arm, Output
from nomikon.server.rows import insert_rows, stored_time

BATCH = 500
# A server says that an answer is whole; who brings one in says so, too.
WHOLE = "stop"


@dataclass(frozen=True)
class BroughtIn:
    """A baseline as an arm of a plan. answers: by case revision. changed: answers to cases whose
    inputs are others by now."""

    baseline: Baseline
    answers: dict[int, BaselineAnswer] = field(default_factory=dict)
    changed: int = 0


def brought_in(
    brief: Brief, data: DatasetVersion, entries: Sequence[Entry], chosen: Iterable[int]
) -> list[BroughtIn]:
    """chosen: ids of baselines. Raises PlanError for one that answers other cases."""
    wanted = list(dict.fromkeys(chosen))
    known = Baseline.objects.filter(dataset__brief=brief).select_related("dataset").in_bulk(wanted)
    found = []
    for pk in wanted:
        baseline = known.get(pk)
        if baseline is None:
            raise PlanError("these answers are not there any more", field="baselines")
        if baseline.dataset_id != data.dataset_id:
            raise PlanError(
                f"“{baseline.name}” answers the cases of {baseline.dataset.name}, not these",
                field="baselines",
            )
        found.append(
            BroughtIn(baseline, *holding_answers(baseline, [e.revision_id for e in entries]))
        )
    return found


def about_brought(brought: Sequence[BroughtIn], n_cases: int, racing: bool) -> list[Problem]:
    """What stands in the way, or is to be known, before they are held against the rest."""
    found = []
    for b in brought:
        name, n = b.baseline.name, len(b.answers)
        if b.changed:
            one = b.changed == 1
            found.append(
                Problem(
                    "warning",
                    name,
                    f"{b.changed} of its answers {'is' if one else 'are'} left out: the "
                    f"{'case was' if one else 'cases were'} changed since",
                    "baselines",
                )
            )
        if not n:
            found.append(Problem("error", name, "answers none of these cases", "baselines"))
        elif n < n_cases:
            found.append(
                Problem(
                    "warning",
                    name,
                    f"answers {n} of {n_cases} cases, and is compared on these alone",
                    "baselines",
                )
            )
    if brought and racing:
        found.append(
            Problem(
                "error",
                brought[0].baseline.name,
                "answers that are there already cannot race: run without dropping arms",
                "racing",
            )
        )
    return found


def arm_of(trial: Any, position: int, b: BroughtIn) -> Arm:
    """The arm as it is stored; nothing of it is priced by us."""
    return Arm(
        trial=trial,
        position=position,
        baseline=b.baseline,
        brought_as=b.baseline.name,
        settings={},
    )


def store_answers(arm: Arm, answers: Iterable[tuple[int, BaselineAnswer]], now: datetime) -> int:
    """Put answers down as an arm's outputs, by case revision: once, whatever the repeats.

    They have no score yet: the worker works that out as the trial begins. Call inside a
    transaction. Returns how many.
    """
    at = stored_time(now)
    defaults = {
        f.attname: f.get_db_prep_save(f.get_default(), connection)
        for f in Output._meta.concrete_fields
        if not f.primary_key
    }
    rows = [
        {**defaults, **_row(arm, revision, answer), "created_at": at}
        for revision, answer in answers
    ]
    for start in range(0, len(rows), BATCH):
        insert_rows(Output, rows[start : start + BATCH])
    return len(rows)


def _row(arm: Arm, revision: int, answer: BaselineAnswer) -> dict[str, Any]:
    outcome = outcome_of(answer.text, WHOLE)
    return {
        "arm_id": arm.pk,
        "revision_id": revision,
        "repeat": 0,
        "outcome": outcome.kind,
        "why": outcome.why,
        "suspected": outcome.suspected,
        "text": answer.text,
        "outcome_rule": OUTCOME_RULE,
        "finish_reason": WHOLE,
        "tokens_in": answer.tokens_in,
        "tokens_out": answer.tokens_out,
        "cost_nominal": answer.cost_nano,
        "cost_new": None,
        "latency_ms": answer.latency_ms,
    }
