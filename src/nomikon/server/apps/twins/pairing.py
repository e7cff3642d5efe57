"""How the pairs of a trial behave: each twin's answer beside the answer to its case, arm by arm."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

from django.db.models import Count, Max

from nomikon.core.trials.outcomes import ANSWERED, FAILED
from nomikon.core.twins import Pair, PairRow, Shares, TwinOf, pair_of, shares_of_pairs
from nomikon.server.apps.trials.models import COMPLETE, Arm, Output, Trial
from nomikon.server.apps.twins.models import Twin, TwinSet

MOST_KEPT = 8
CALL_FAILED = "the call of this twin failed"


@dataclass(frozen=True)
class JudgedPair:
    """One twin by one arm. pair: of the first repeat that broke, else of the first that can be told.
    holds: the mean over repeats. before, after: ids of the two outputs of that repeat."""

    arm: int
    twin: int
    case: str
    kind: str
    pair: Pair
    holds: float | None
    before: int | None
    after: int | None


@dataclass(frozen=True)
class Judged:
    """All pairs of a trial, arm by arm in its order and twins as they were made, and their shares."""

    pairs: list[JudgedPair]
    shares: Shares


def judged(found: TwinSet, trial: Trial) -> Judged:
    """The pairs whose two answers are there; the same as long as no answer came and no twin was left."""
    outputs = Output.objects.filter(arm__trial=trial).aggregate(newest=Max("id"), n=Count("id"))
    left = tuple(found.twins.filter(left=True).values_list("pk", flat=True))
    return _judged(
        found.pk,
        trial.pk,
        outputs["newest"] or 0,
        outputs["n"],
        trial.state,
        # A person may have ruled what an answer is, without a new one.
        trial.scores_changed,
        left,
    )


@lru_cache(maxsize=MOST_KEPT)
def _judged(
    set_id: int,
    trial_id: int,
    newest: int,
    n: int,
    state: str,
    changed: int,
    left: tuple[int, ...],
) -> Judged:
    """The parameters are what it is read from."""
    trial = Trial.objects.select_related("scorecard").get(pk=trial_id)
    twins = [t for t in Twin.objects.filter(set_id=set_id).order_by("pk") if t.pk not in left]
    arms = list(trial.arms.order_by("position").values_list("pk", flat=True))
    pairs = list(_pairs(trial, arms, twins))
    card = trial.scorecard.document
    shares = shares_of_pairs(
        [PairRow(str(p.arm), p.case, str(p.twin), p.kind, p.holds) for p in pairs],
        [str(a) for a in arms],
        # An unfinished trial is estimated, never tested.
        str(arms[0]) if state == COMPLETE and len(arms) > 1 else None,
        margin=float(card.get("margin", 0.05)) if isinstance(card, dict) else 0.05,
    )
    return Judged(pairs, shares)


def _pairs(trial: Trial, arms: Sequence[int], twins: Sequence[Twin]) -> Iterator[JudgedPair]:
    columns = ("id", "arm_id", "revision_id", "repeat", "outcome", "text")
    at: dict[tuple[int, int, int], tuple[int, str, str]] = {}
    for pk, arm, revision, repeat, outcome, text in (
        Output.objects.filter(arm__trial=trial).values_list(*columns).iterator(chunk_size=2000)
    ):
        at[arm, revision, repeat] = (pk, outcome, text)
    for arm in arms:
        for twin in twins:
            told = [
                found
                for repeat in range(trial.repeats)
                if (found := _of_repeat(at, arm, twin, repeat)) is not None
            ]
            if not told:
                continue
            known = [x for x in told if x[0].holds is not None]
            broken = [x for x in known if not x[0].holds]
            pair, before, after = (broken or known or told)[0]
            yield JudgedPair(
                arm,
                twin.pk,
                str(twin.original_id),
                twin.kind,
                pair,
                sum(bool(x[0].holds) for x in known) / len(known) if known else None,
                before,
                after,
            )


def _of_repeat(
    at: dict[tuple[int, int, int], tuple[int, str, str]], arm: int, twin: Twin, repeat: int
) -> tuple[Pair, int, int] | None:
    """None until both answers are there."""
    before = at.get((arm, twin.original_id, repeat))
    after = at.get((arm, twin.revision_id, repeat))
    if before is None or after is None:
        return None
    if after[1] == FAILED:
        return Pair(None, CALL_FAILED), before[0], after[0]
    if before[1] == ANSWERED and after[1] != ANSWERED:
        why = f"the answer to the twin is {after[1]}, that to the case is not"
        return Pair(False, why), before[0], after[0]
    return pair_of(twin_of(twin), _said(before), _said(after)), before[0], after[0]


def twin_of(twin: Twin) -> TwinOf:
    """A stored twin as core judges by it."""
    return TwinOf(twin.kind, twin.expects, twin.about, twin.token)


def _said(output: tuple[int, str, str]) -> str | None:
    return output[2] if output[1] == ANSWERED else None


def arms_of(trial: Trial) -> list[Arm]:
    """Its arms in their order."""
    return list(trial.arms.select_related("version", "model", "trial").order_by("position"))


def texts_of(ids: Sequence[int]) -> dict[int, str]:
    """What some outputs say, by id."""
    return dict(Output.objects.filter(pk__in=ids).values_list("pk", "text"))
