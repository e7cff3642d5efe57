"""What a watch found so far: each check against the first, by score, cost and time."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import timedelta
from statistics import median
from typing import Any

from django.db.models import F, QuerySet

from nomikon.core.results import values_by_case
from nomikon.core.rules import FIGURES_RULE
from nomikon.core.stats.drift import COST, SCORE, TIME, TWINS, WATCHED, Drift, drift
from nomikon.core.stats.words import p_in_words
from nomikon.server.apps.trials.facts import arm_facts
from nomikon.server.apps.trials.models import COMPLETE, WATCH, Call, Trial
from nomikon.server.apps.trials.planning import ArmChoice, Plan, next_generation, plan_of
from nomikon.server.apps.trials.results import results_of
from nomikon.server.apps.verdicts.models import Watch, WatchCheck
from nomikon.server.apps.verdicts.reads import DriftShape, WatchCheckShape, WatchShape
from nomikon.server.typed import copied

# A busy server is told by its other answers, so many at least, around the time of both runs; and
# they must explain so much of the change, by ratio.
FEWEST_OTHERS, MOST_OTHERS, MOST_OF_IT = 5, 500, 0.6
AROUND = timedelta(minutes=10)


def plan_watch_check(watch: Watch) -> Plan:
    """The adopted arm on the watch's cases, every answer asked for anew."""
    arm = watch.verdict.arm
    former = arm.trial
    entries = former.dataset_version.entries.filter(revision__in=watch.sample)
    return plan_of(
        watch.brief,
        [ArmChoice(arm.asked_version, arm.asked_model, dict(arm.settings))],
        former.dataset_version,
        former.split,
        list(entries.select_related("revision__case").order_by("position")),
        former.scorecard,
        repeats=former.repeats,
        seed=former.seed,
        generation=next_generation(),
        continuations=former.continuations,
        user=former.user_model,
        purpose=WATCH,
        sampled=True,
    )


def watch_checks() -> QuerySet[WatchCheck]:
    """Checks in order, with their trials."""
    return WatchCheck.objects.select_related("watch", "trial__scorecard").order_by(
        "watch", "number"
    )


def drift_in(check: WatchCheck, first: WatchCheck) -> dict[str, Any]:
    """Whether a check shows a drift against the watch's first, and its words; kept with the check."""
    if check.number == 0 or check.trial.state != COMPLETE or first.trial.state != COMPLETE:
        return {"drifted": False, "words": ""}
    key = [FIGURES_RULE, *(_state_of(t) for t in (first.trial, check.trial))]
    if not check.found or check.found["key"] != key:
        row = _check_row(check.watch, check, first.trial)
        key = [FIGURES_RULE, *(_state_of(t) for t in (first.trial, check.trial))]
        check.found = {"key": key, "drifted": row["drifted"], "words": row["words"]}
        WatchCheck.objects.filter(pk=check.pk).update(found=check.found)
    return check.found


def _state_of(trial: Trial) -> list[Any]:
    finished = trial.finished_at and trial.finished_at.isoformat()
    return [trial.pk, trial.scores_changed, trial.figures_rule, finished]


def watch_detail(watch: Watch) -> WatchShape:
    """The watch, its checks with what each found, and what it says now in words."""
    checks = list(watch.checks.select_related("trial__scorecard").order_by("number"))
    first = checks[0].trial if checks else None
    rows = [_check_row(watch, c, first) for c in checks]
    used = sum(1 for c in checks if c.number > 0)
    return {
        "id": watch.pk,
        "verdict": watch.verdict_id,
        "arm": arm_facts(watch.verdict.arm),
        "n_cases": len(watch.sample),
        "planned": watch.planned,
        "used": used,
        "every_days": watch.every_days,
        "next_at": watch.next_at,
        "stopped": watch.stopped_at is not None,
        "over": used >= watch.planned,
        "trouble": watch.trouble,
        "created_at": watch.created_at,
        "created_by": watch.created_by,
        "checks": rows,
        "drifted": any(r["drifted"] for r in rows),
    }


def _check_row(watch: Watch, check: WatchCheck, first: Trial | None) -> WatchCheckShape:
    trial = check.trial
    row: WatchCheckShape = {
        "number": check.number,
        "trial": trial.pk,
        "trial_number": trial.number,
        "state": trial.state,
        "at": trial.created_at,
        "score": None,
        "cost": None,
        "time": None,
        "twins": None,
        "identity": identities_of(trial),
        "changed_identity": False,
        "drifted": False,
        "words": "",
    }
    if trial.state != COMPLETE or first is None:
        return row
    if first.state != COMPLETE:
        row["words"] = (
            f"nothing to compare with: the first run, trial {first.number}, is {first.state}"
        )
        return row
    if check.number == 0:
        means = values_of(trial)[SCORE]
        mean = sum(means.values()) / len(means) if means else None
        row["words"] = (
            "no answer has a score"
            if mean is None
            else f"the first: score {mean:.3f}, to compare with"
        )
        return row
    found = drifts_of(first, trial, watch.planned)
    row["score"], row["cost"], row["time"] = (copied(DriftShape, found[x]) for x in WATCHED)
    row["twins"] = copied(DriftShape, found[TWINS]) if TWINS in found else None
    row["drifted"] = any(d.drifted for d in found.values())
    row["changed_identity"] = row["identity"] != identities_of(first)
    row["words"] = in_words(found)
    time = found[TIME]
    if time.drifted and (busy := contention_between(first, trial, time)):
        row["words"] += f"; {busy}"
        row["drifted"] = any(d.drifted for name, d in found.items() if name != TIME)
    return row


def contention_between(first: Trial, trial: Trial, time: Drift) -> str:
    """Whether the server's other answers changed alike between the two runs: then it was busy (or is
    so no more), and it is not this arm that takes otherwise. "" where it cannot be told."""
    before, now = _other_times(first), _other_times(trial)
    # Each model with itself: others may have been asked then than now.
    ratios = [
        median(now[model]) / max(median(had), 1.0)
        for model, had in before.items()
        if min(len(had), len(now.get(model, ()))) >= FEWEST_OTHERS
    ]
    if not ratios or not time.before or not time.now:
        return ""
    others = median(ratios)
    own = time.now / time.before
    # Most of the change, by ratio.
    if math.log(max(others, 1e-9)) / math.log(own) < MOST_OF_IT:
        return ""
    return (
        f"the server's other answers took {others:.1f} times as long as then, too: it is not this "
        "arm that changed"
    )


def _other_times(run: Trial) -> dict[int, list[float]]:
    """How long answers of the same connection took that were asked for something else, in the time
    of a run and shortly around it, by model."""
    arm = run.arms.select_related("model").first()
    if arm is None or arm.model is None or run.started_at is None or run.finished_at is None:
        return {}
    around = (run.started_at - AROUND, run.finished_at + AROUND)
    calls = Call.objects.filter(
        output__arm__model__connection=arm.model.connection_id,
        asked_model=None,
        failure="",
        reused_from=None,
        answered_at__range=around,
        latency_ms__gt=0,
    ).exclude(output__arm__trial=run)
    found: dict[int, list[float]] = {}
    for model, took in calls.values_list("output__arm__model_id", "latency_ms")[:MOST_OTHERS]:
        found.setdefault(model, []).append(took)
    return found


def drifts_of(first: Trial, trial: Trial, planned: int) -> dict[str, Drift]:
    """What is watched, of a later check against the first one."""
    before, now = values_of(first), values_of(trial)
    sources = results_of(first).sources
    return {
        name: drift(
            before[name],
            now[name],
            planned=planned,
            things=len(before),
            what=name,
            sources=sources,
        )
        for name in before
    }


def values_of(trial: Trial) -> dict[str, dict[str, float]]:
    """What is watched by case of the one arm of a watch's trial."""
    table = results_of(trial)
    return values_by_case(table, table.arms[0])


def identities_of(trial: Trial) -> list[str]:
    """What the server called the models that answered the arm's calls."""
    found = (
        Call.objects.filter(output__arm__trial=trial, asked_model=None)
        .exclude(model_identity="")
        .order_by(F("model_identity").asc())
        .values_list("model_identity", flat=True)
        .distinct()
    )
    return list(found)


def in_words(found: Mapping[str, Drift]) -> str:
    """What a check says, by rule."""
    return "; ".join(_told(name, d) for name, d in found.items())


def _told(name: str, d: Drift) -> str:
    if d.change is None or d.p is None:
        return f"{name}: {d.why_null}"
    if name == TIME and d.p <= d.level and not d.drifted:
        return (
            f"{name} changed by {abs(d.change) / (d.before or 1):.0%} (p "
            f"{p_in_words(d.p, d.level)}, held to {d.level:.4f}), less than matters"
        )
    if not d.drifted:
        return f"{name}: no drift shown (p {p_in_words(d.p, d.level)}, held to {d.level:.4f})"
    way = "fell" if d.change < 0 else "rose"
    if name in (COST, TIME) and d.before:
        size = f"by {abs(d.change) / d.before:.0%}"
    else:
        size = f"by {abs(d.change):.3f}"
    return f"{name} {way} {size} (p {p_in_words(d.p, d.level)}, held to {d.level:.4f})"
