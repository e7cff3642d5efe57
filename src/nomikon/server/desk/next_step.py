"""The one thing that comes next in a brief, told from its state; it leads from an empty desk to a verdict."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.trials.models import (
    COMPARE,
    COMPLETE,
    OPEN_STATES,
    Arm,
    ScoreRow,
    Trial,
)
from nomikon.server.apps.verdicts.models import Verdict
from nomikon.server.desk.reads import WaitingShape

# Fewer cases than these show next to nothing.
FEW_CASES = 10


def next_step(
    brief: Brief,
    versions: Sequence[Version],
    datasets: Sequence[dict[str, Any]],
    has_scorecard: bool,
) -> WaitingShape | None:
    """What to do next and where, at an address within the program; None where nothing waits."""
    base = f"/briefs/{brief.pk}"
    if not Model.objects.exists():
        return _step("say who answers: add a model", "/models")
    if not versions:
        return _step("write the first version", f"{base}/draft")
    trials = list(brief.trials.filter(purpose=COMPARE, archived=False).order_by("-number"))
    if not trials and not brief.tries.exists():
        return _step("ask it once", f"{base}/draft")
    working = max((d["working"] for d in datasets), default=0)
    if working < FEW_CASES:
        wanted = FEW_CASES - working
        return _step(f"{wanted} more case{'s' * (wanted != 1)}", f"{base}/cases")
    if not has_scorecard:
        return _step("say what counts", f"{base}/brief")
    newest = versions[-1]
    if not trials:
        return _step(f"run v{newest.number} on {working} cases", f"{base}/trials/plan")
    return _after_a_trial(trials, newest, base)


def _after_a_trial(trials: Sequence[Trial], newest: Version, base: str) -> WaitingShape | None:
    last = trials[0]
    at = f"{base}/trials/{last.pk}"
    if last.state in OPEN_STATES:
        return _step(f"see trial {last.number} run", at)
    arms = list(Arm.objects.filter(trial=last).select_related("version"))
    numbers = sorted({a.version.number for a in arms if a.version is not None})
    if numbers and newest.number not in numbers and newest.number > numbers[-1]:
        beside = f" beside v{newest.parent.number}" if newest.parent else ""
        return _step(f"run v{newest.number}{beside}", f"{base}/trials/plan?v={newest.number}")
    marks = Mark.objects.filter(output__arm__trial=last, current=True)
    if last.state == COMPLETE and len(numbers) < 2 and not marks.exists() and len(trials) == 1:
        return _step("read the lowest answers", f"{at}?order=worst{_lowest(last)}")
    complaints = marks.exclude(judgement="good").count()
    if complaints and newest.number in numbers and len(numbers) == 1:
        many = f"{complaints} remark{'s' * (complaints != 1)}"
        return _step(f"turn {many} into changes", f"{base}/review?view=faults")
    judged = Verdict.objects.filter(arm__trial__in=trials, decided_at__gte=last.created_at)
    if last.state == COMPLETE and len(arms) > 1 and not judged.exists():
        if len(numbers) > 1:
            return _step(f"see v{numbers[-1]} against v{numbers[-2]}", f"{base}/verdict")
        return _step("see which arm is ahead", f"{base}/verdict")
    return None


def _lowest(trial: Trial) -> str:
    """The case whose answer scored lowest, to be opened at once."""
    rows = ScoreRow.objects.filter(output__arm__trial=trial, scorecard=trial.scorecard_id)
    number = (
        rows.exclude(total=None)
        .order_by("total", "output_id")
        .values_list("output__revision__case__number", flat=True)
        .first()
    )
    return "" if number is None else f"&case={number}"


def _step(words: str, to: str) -> WaitingShape:
    return {"words": words, "to": to}
