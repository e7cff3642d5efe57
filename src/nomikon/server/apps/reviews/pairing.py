"""Pairs of answers to be read blind, and the strengths that come out of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from nomikon.core.errors import PlanError
from nomikon.core.stats.pairs import Pair, strengths
from nomikon.core.trials import ANSWERED
from nomikon.server.apps.reviews.models import Preference
from nomikon.server.apps.reviews.reads import PreferenceResult, StrengthShape
from nomikon.server.apps.trials.models import Arm, Output, Trial
from nomikon.server.typed import copied

MOST = 200
# Intervals of a few hundred pairs, asked for after every preference.
RESAMPLES = 400


def pairs_of(trial: Trial, arms: Sequence[int], *, reader: str) -> dict[str, Any]:
    """Pairs to read, cases in seeded order, sides by chance; the arms stay hidden in them.

    Of each case one pair of the chosen arms is drawn. Where both say the same
    there is nothing to prefer: such cases are counted and left out. What a
    reader settled comes first. Raises PlanError for fewer than two arms.
    """
    chosen = list(Arm.objects.filter(trial=trial, pk__in=arms).order_by("position"))
    if len(chosen) < 2:
        raise PlanError("choose two arms at least", field="arms")
    texts: dict[int, dict[int, tuple[int, str]]] = {}
    for pk, arm, case, text in (
        Output.objects.filter(arm__in=chosen, repeat=0, outcome=ANSWERED)
        .order_by("id")
        .values_list("id", "arm_id", "revision_id", "text")
    ):
        texts.setdefault(case, {})[arm] = (pk, text)
    settled = {
        (p.left_id, p.right_id): p.outcome
        for p in Preference.objects.filter(reader=reader, current=True, left__arm__trial=trial)
    }
    rng = np.random.default_rng([trial.seed, 7, *sorted(a.pk for a in chosen)])
    rows: list[dict[str, Any]] = []
    n_same = 0
    cases = sorted(texts)
    for place in rng.permutation(len(cases)):
        there = texts[cases[place]]
        both = [a.pk for a in chosen if a.pk in there]
        draw = rng.random(3)
        if len(both) < 2:
            continue
        first = int(draw[0] * len(both))
        second = (first + 1 + int(draw[1] * (len(both) - 1))) % len(both)
        one, other = there[both[first]], there[both[second]]
        if one[1].strip() == other[1].strip():
            n_same += 1
            continue
        left, right = (one, other) if draw[2] < 0.5 else (other, one)
        outcome = settled.get((left[0], right[0]))
        rows.append({"left": left[0], "right": right[0], "case": cases[place], "outcome": outcome})
    done = [r for r in rows if r["outcome"]]
    rest = [r for r in rows if not r["outcome"]]
    shown = [*done, *rest][: len(done) + MOST]
    return {"pairs": _told(shown), "n_same": n_same, "settled": len(done)}


def _told(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Pairs with what is read: the input and the two texts, nothing of the arms."""
    ids = [i for r in rows for i in (r["left"], r["right"])]
    outputs: dict[int, Output] = {}
    for start in range(0, len(ids), 500):
        outputs |= Output.objects.select_related("revision__case").in_bulk(ids[start : start + 500])
    return [
        {
            **r,
            "number": outputs[r["left"]].revision.case.number,
            "inputs": outputs[r["left"]].revision.inputs,
            "left_text": outputs[r["left"]].text,
            "right_text": outputs[r["right"]].text,
        }
        for r in rows
    ]


def preferences_of(trial: Trial) -> PreferenceResult | None:
    """Strengths of a trial's arms from every reader's preferences; None before the first."""
    found = Preference.objects.filter(current=True, left__arm__trial=trial).select_related(
        "left", "right"
    )
    pairs = [
        Pair(str(p.left.arm_id), str(p.right.arm_id), p.outcome, str(p.left.revision_id))
        for p in found
    ]
    if not pairs:
        return None
    result = strengths(pairs, n_resamples=RESAMPLES)
    return {
        "items": [copied(StrengthShape, s, arm=int(s.item)) for s in result.items],
        "side_bias": result.side_bias,
        "side_low": result.side_low,
        "side_high": result.side_high,
        "n": result.n,
        "why": result.why,
    }
