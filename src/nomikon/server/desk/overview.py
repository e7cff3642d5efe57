"""A brief at a glance: the states of its stages, its lineage with scores, its docket line."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db.models import Max, Prefetch, QuerySet

from nomikon.core.prompts import settings_in_short
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.connections.short_names import short_model_name
from nomikon.server.apps.datasets.facts import dataset_facts
from nomikon.server.apps.datasets.models import WORKING
from nomikon.server.apps.ledger.models import Event
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.trials.headline import ahead_in, answered_in, mean_in
from nomikon.server.apps.trials.models import (
    COMPARE,
    COMPLETE,
    OPEN_STATES,
    QUEUED,
    Arm,
    Output,
    Trial,
)
from nomikon.server.apps.verdicts.models import Verdict
from nomikon.server.apps.verdicts.standing import adopted_verdict, notices_of
from nomikon.server.desk.next_step import next_step
from nomikon.server.in_place import in_place

CANNOT = "cannot be told"
Basis = tuple[int, str, int, int, str]


def _basis_of(arm: Arm) -> Basis:
    """Scores are only set side by side for one model, settings, scorecard, dataset and split."""
    trial = arm.trial
    return (
        arm.asked_model.pk,
        settings_in_short(arm.settings),
        trial.scorecard_id,
        trial.dataset_version_id,
        trial.split,
    )


def spine_scores(brief: Brief) -> tuple[dict[str, Any] | None, dict[int, dict[str, Any]]]:
    """The basis a lineage is scored on, and the score of each version measured on it."""
    return spine_of(list(spine_arms().filter(trial__brief=brief)), adopted_verdict(brief))


def spine_arms() -> QuerySet[Arm]:
    """Arms whose scores may stand on a spine, those of the newest trials first."""
    # An arm that left a race was scored on some of the cases only: not side by side with the rest.
    return (
        Arm.objects.filter(
            trial__state=COMPLETE,
            trial__split=WORKING,
            trial__purpose=COMPARE,
            dropped__isnull=True,
            without=[],
            baseline=None,
        )
        # Arms share their trial, which holds what is kept of all of them; no text is read.
        .prefetch_related(
            "trial__scorecard",
            "trial__dataset_version",
            "model",
            Prefetch("version", Version.objects.only("number")),
        )
        .defer("messages", "without", "taken", "dropped")
        .order_by("-trial__number", "position")
    )


def spine_of(
    arms: Sequence[Arm], adopted: Verdict | None
) -> tuple[dict[str, Any] | None, dict[int, dict[str, Any]]]:
    """The basis is the adopted arm's; without one, that of the newest scorecard on which most
    versions were measured, then the best. Others read *not measured*.

    arms: of one brief, as `spine_arms` gives them.
    """
    measured: dict[Basis, dict[int, dict[str, Any]]] = {}
    samples: dict[Basis, Arm] = {}
    of_version: dict[Basis, dict[int, Arm]] = {}
    for arm in arms:
        basis, number = _basis_of(arm), arm.asked_version.number
        mean = mean_in(arm.trial, arm)
        # A trial whose answers have no total is no basis: nothing was measured on it.
        if mean is None or number in measured.get(basis, ()):
            continue
        samples.setdefault(basis, arm)
        of_version.setdefault(basis, {})[number] = arm
        measured.setdefault(basis, {})[number] = {
            "mean": mean.mean,
            "low": mean.low,
            "high": mean.high,
            "trial": arm.trial.number,
            "ahead_of": [],
        }
    if not measured:
        return None, {}
    preferred = _basis_of(adopted.arm) if adopted else None
    basis = (
        preferred
        if preferred in measured
        else max(measured, key=lambda b: (b[2], len(measured[b]), _best(measured[b])))
    )
    sample = samples[basis]
    facts = {
        "model": sample.asked_model.name,
        "model_short": short_model_name(sample.asked_model.name),
        "settings": basis[1],
        "scorecard": sample.trial.scorecard.number,
        "dataset_version": sample.trial.dataset_version.number,
        "split": basis[4],
    }
    own = of_version[basis]
    for number, arm in own.items():
        ahead = ahead_in(arm.trial, arm)
        measured[basis][number]["ahead_of"] = sorted(n for n, a in own.items() if a.pk in ahead)
    return facts, measured[basis]


def leading(scores: dict[int, dict[str, Any]], adopted: int | None) -> str:
    """Which version is ahead of the others where that is shown, else which are level; "" where the
    adopted one has the highest score."""
    best = max(scores, key=lambda n: scores[n]["mean"], default=None)
    if best is None or best == adopted:
        return ""
    own = scores[best]
    # Of other trials nothing is shown, ahead or level.
    together = [n for n in scores if n != best and scores[n]["trial"] == own["trial"]]
    level = sorted((n for n in together if n not in own["ahead_of"]), reverse=True)
    if adopted is not None:
        if adopted in own["ahead_of"]:
            return f"v{best} is ahead"
        return f"v{best} level with it" if adopted in level else f"v{best} not compared with it"
    if not level:
        return f"v{best} is ahead" if together else f"v{best} measured"
    more = f" and {len(level) - 1} more" if len(level) > 1 else ""
    return f"v{best} and v{level[0]}{more} are level"


def _best(scores: dict[int, dict[str, Any]]) -> float:
    return max((s["mean"] for s in scores.values()), default=0.0)


def brief_detail(brief: Brief) -> dict[str, Any]:
    """Everything the frame around a brief's stages shows."""
    basis, scores = in_place(
        lambda: spine_scores(brief), lambda: (None, {}), f"the spine of brief {brief.pk}"
    )
    versions = list(brief.versions.select_related("parent", "second_parent"))
    adopted = adopted_verdict(brief)
    adopted_number = adopted.arm.asked_version.number if adopted else None
    datasets = [dataset_facts(d) for d in brief.datasets.all()]
    # What was put away, twins of cases among it, is no case that anybody waits for.
    there = [d for d in datasets if not d["archived"]]
    card = brief.scorecards.order_by("-number").first()
    return {
        "id": brief.pk,
        "name": brief.name,
        "job": brief.job,
        "task": brief.task,
        "stages": _stages(brief, versions, there, adopted_number, scores),
        "versions": [
            {
                "id": v.pk,
                "number": v.number,
                "parent": v.parent.number if v.parent else None,
                "second_parent": v.second_parent.number if v.second_parent else None,
                "tags": v.tags,
                "archived": v.archived,
                "note": v.note,
                "origin": v.origin,
                "adopted": v.number == adopted_number,
                "created_at": v.created_at,
                "score": scores.get(v.number),
            }
            for v in versions
        ],
        "basis": basis,
        "adopted": adopted_number,
        "datasets": datasets,
        "scorecard": card
        and {
            "id": card.pk,
            "number": card.number,
            "document": card.document,
            "created_at": card.created_at,
        },
        "next": next_step(brief, versions, there, card is not None),
        "last_event": Event.objects.aggregate(last=Max("id"))["last"] or 0,
    }


def _stages(
    brief: Brief,
    versions: list[Any],
    datasets: list[dict[str, Any]],
    adopted: int | None,
    scores: dict[int, dict[str, Any]],
) -> list[dict[str, str]]:
    working = sum(d["working"] for d in datasets)
    held = sum(d["held_out"] for d in datasets)
    return [
        {"stage": "brief", "words": "job stated" if brief.job else "say what the job is"},
        {
            "stage": "draft",
            "words": f"{len(versions)} version{'s' * (len(versions) != 1)}"
            if versions
            else "nothing written yet",
        },
        {
            "stage": "cases",
            "words": f"{working:,} working, {held:,} held out"
            if working + held
            else "no cases yet",
        },
        {"stage": "trials", "words": _trials_in_words(brief)},
        {
            "stage": "review",
            "words": in_place(
                lambda: _review_in_words(brief), lambda: CANNOT, f"review of brief {brief.pk}"
            ),
        },
        {
            "stage": "verdict",
            "words": in_place(
                lambda: _verdict_in_words(brief, adopted, scores),
                lambda: CANNOT,
                f"the verdict of brief {brief.pk}",
            ),
        },
    ]


def _verdict_in_words(brief: Brief, adopted: int | None, scores: dict[int, dict[str, Any]]) -> str:
    if not scores and not adopted:
        return "nothing measured"
    verdict = f"v{adopted} adopted" if adopted else "none yet"
    if told := leading(scores, adopted):
        verdict += f", {told}"
    if against := notices_of(brief):
        verdict += f", trial {against[0]['trial_number']} speaks against it"
    return verdict


def progress(trial: Trial) -> tuple[int, int]:
    """Outputs stored and wanted."""
    return Output.objects.filter(arm__trial=trial).count(), trial.n_outputs


def _trials_in_words(brief: Brief) -> str:
    running = brief.trials.filter(state__in=OPEN_STATES).order_by("number").first()
    if running:
        done, of = progress(running)
        if running.state == QUEUED:
            return f"no. {running.number} waiting"
        return f"no. {running.number} running, {done * 100 // max(1, of)} %"
    count = brief.trials.count()
    return f"{count} run" if count else "none run yet"


def waiting_to_read(brief: Brief) -> int:
    """Outputs of the newest ended trial that nobody has marked."""
    trial = brief.trials.filter(state=COMPLETE, purpose=COMPARE).order_by("-number").first()
    if trial is None:
        return 0
    marked = Mark.objects.filter(output__arm__trial=trial, current=True).values("output").distinct()
    return answered_in(trial) - marked.count()


def _review_in_words(brief: Brief) -> str:
    marks = Mark.objects.filter(output__arm__trial__brief=brief, current=True).count()
    if waiting := waiting_to_read(brief):
        return f"{marks} marked, {waiting:,} unread"
    return f"{marks} marked" if marks else "nothing to read yet"
