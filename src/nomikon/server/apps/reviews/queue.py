"""What there is to read, in which order."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Any

import numpy as np

from nomikon.core.errors import PlanError
from nomikon.core.trials import COMPLETE, FAILED
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.reviews.former import said_before, standing_of
from nomikon.server.apps.reviews.models import PLACES, Mark
from nomikon.server.apps.trials.models import COMPARE, Output, ScoreRow, Trial

# Nobody reads more in one sitting; the next reload brings further ones.
QUEUE = 300
# More than this is no list to choose from.
MOST_TAGS = 60

RANDOM, LOW, UNSURE, ARMS_APART, MEASURES_APART, CHANGED, PEOPLE_APART, SPREAD = (
    "random",
    "low",
    "unsure",
    "arms-apart",
    "measures-apart",
    "changed",
    "people-apart",
    "spread",
)
ORDERS = (RANDOM, SPREAD, LOW, UNSURE, ARMS_APART, MEASURES_APART, PEOPLE_APART, CHANGED)
# What chance alone has ordered says something about an arm; with strata each has its share.
BY_CHANCE = (RANDOM, SPREAD)


# Where no trial is complete there is nothing to read.
NOTHING: dict[str, Any] = {
    "trial": None,
    "trial_number": None,
    "queue": [],
    "marked": 0,
    "changed": 0,
    "arms": [],
    "tags": [],
}


def reading_queue(
    brief: Brief,
    *,
    reader: str,
    trial: int | None = None,
    arm: int | None = None,
    order: str = RANDOM,
    tag: str = "",
) -> dict[str, Any]:
    """Outputs of a trial (the newest complete one) in an order that its seed fixes.

    A random order is the default because only randomly drawn marks say
    anything about an arm as a whole; `drawn` tells whether this one is. arm, tag:
    only answers of this arm, to cases with this tag. Orders:
    spread draws so that arms and tags come in turn; changed holds only answers
    whose former one was marked; people-apart begins where scores and marks part.
    An answer that reads as a marked one to the same case inherits its mark.
    Failures hold nothing to read. Raises PlanError for an unknown order.
    """
    if order not in ORDERS:
        raise PlanError(f"{order!r} is no order; allowed are {', '.join(ORDERS)}", field="order")
    trials = brief.trials.filter(state=COMPLETE).order_by("-number")
    newest = trials.filter(purpose=COMPARE).first() or trials.first()
    chosen = newest if trial is None else trials.filter(pk=trial).first()
    listed = [{"id": t.pk, "number": t.number, "question": t.question} for t in trials]
    drawn = order in BY_CHANCE and arm is None and not tag
    head = {"trials": listed, "order": order, "drawn": drawn}
    if chosen is None:
        return {**NOTHING, **head}
    outputs = Output.objects.filter(arm__trial=chosen).exclude(outcome=FAILED)
    if arm is not None:
        outputs = outputs.filter(arm=arm)
    tags = _tags(chosen)
    rows = [
        row
        for row in outputs.order_by("id").values_list("id", "revision_id", "text")
        if not tag or tag in (tags.get(row[1]) or ())
    ]
    told = _told(chosen, rows, reader)
    changed = [r for r in told if r["former"] and r["judgement"] is None]
    ordered = [told[i] for i in _ordered(chosen, [(pk, rev) for pk, rev, _ in rows], order)]
    if order == CHANGED:
        ordered = [r for r in ordered if r["former"]]
    unread = [r for r in ordered if r["judgement"] is None]
    read = [r for r in ordered if r["judgement"] is not None]
    return {
        "trial": chosen.pk,
        "trial_number": chosen.number,
        "queue": [*read, *unread][: len(read) + QUEUE],
        "marked": len(read),
        "changed": len(changed),
        "tags": sorted({name for names in tags.values() for name in names or ()})[:MOST_TAGS],
        "arms": [
            {"id": a.pk, "label": a.in_words}
            for a in chosen.arms.select_related("version", "model")
        ],
        **head,
    }


def _ordered(trial: Trial, rows: list[tuple[int, int]], order: str) -> list[int]:
    """Positions of the rows in the order asked for; chance decides among equals."""
    shuffled = [int(i) for i in np.random.default_rng(trial.seed).permutation(len(rows))]
    if order in (RANDOM, CHANGED):
        return shuffled
    if order == SPREAD:
        return _in_turn(trial, rows, shuffled)
    totals: dict[int, float] = {}
    spread: dict[int, float] = {}
    for pk, total, packed in ScoreRow.objects.filter(
        output__arm__trial=trial, scorecard=trial.scorecard_id
    ).values_list("output_id", "total", "packed"):
        if total is not None:
            totals[pk] = total
        values = [v for v, *_ in packed.values() if v is not None]
        spread[pk] = float(np.std(values)) if len(values) > 1 else 0.0
    if order == ARMS_APART:
        cases: dict[int, list[float]] = {}
        for pk, case in rows:
            if pk in totals:
                cases.setdefault(case, []).append(totals[pk])
        apart = {c: float(np.ptp(v)) for c, v in cases.items()}
        # The answers to one case stand together, the case that parts the arms most first.
        return sorted(shuffled, key=lambda i: (-apart.get(rows[i][1], 0.0), rows[i][1]))
    if order == PEOPLE_APART:
        apart_by = _apart_from_people(trial, totals)
        return sorted(shuffled, key=lambda i: -apart_by.get(rows[i][0], -1.0))
    key: Callable[[int], float] = {
        LOW: lambda pk: totals.get(pk, 2.0),
        UNSURE: lambda pk: abs(totals.get(pk, 2.0) - 0.5),
        MEASURES_APART: lambda pk: -spread.get(pk, 0.0),
    }[order]
    return sorted(shuffled, key=lambda i: key(rows[i][0]))


def _in_turn(trial: Trial, rows: list[tuple[int, int]], shuffled: list[int]) -> list[int]:
    """By chance within arm and first tag, which come in turn: each has its share of any beginning."""
    arms = dict(Output.objects.filter(arm__trial=trial).values_list("id", "arm_id"))
    tags = {
        rev: (tags or [""])[0]
        for rev, tags in trial.dataset_version.entries.values_list("revision_id", "revision__tags")
    }
    size: Counter[tuple[int, str]] = Counter()
    strata = [(arms[pk], tags.get(rev, "")) for pk, rev in rows]
    whole = Counter(strata)
    place: dict[int, float] = {}
    for i in shuffled:
        size[strata[i]] += 1
        # The middle of its share: strata of any size run out together.
        place[i] = (size[strata[i]] - 0.5) / whole[strata[i]]
    return sorted(shuffled, key=lambda i: place[i])


def _apart_from_people(trial: Trial, totals: dict[int, float]) -> dict[int, float]:
    """How far an answer's total is from what people marked it as: a mark is 0, a half or 1."""
    marks = Mark.objects.filter(output__arm__trial=trial, current=True)
    said: dict[int, list[float]] = {}
    for output, judgement in marks.values_list("output_id", "judgement"):
        said.setdefault(output, []).append(PLACES[judgement] / 2)
    return {
        pk: abs(totals[pk] - sum(values) / len(values))
        for pk, values in said.items()
        if pk in totals
    }


def _told(trial: Trial, rows: list[tuple[int, int, str]], reader: str) -> list[dict[str, Any]]:
    """Each output with its mark, and what is known of the same answer and of a former one."""
    marks = dict(
        Mark.objects.filter(output__arm__trial=trial, reader=reader, current=True).values_list(
            "output_id", "judgement"
        )
    )
    before = said_before(trial, list({revision for _, revision, _ in rows}))
    same: dict[tuple[int, str], int] = {}
    told = []
    for pk, revision, text in rows:
        inherits, former = standing_of(text, before.get(revision, []), reader)
        told.append(
            {
                "output": pk,
                "judgement": marks.get(pk),
                "same": same.setdefault((revision, text.strip()), len(same)),
                "inherits": inherits,
                "former": former,
            }
        )
    return told


def _tags(trial: Trial) -> dict[int, list[str]]:
    """The tags of each case of a trial, by its revision."""
    entries = trial.dataset_version.entries.filter(split=trial.split)
    return dict(entries.values_list("revision_id", "revision__tags"))
