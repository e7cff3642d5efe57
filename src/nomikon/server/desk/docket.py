"""The desk's docket: each brief's state in words, its best arm, and what waits for a person.

All briefs are read together, in a number of queries that does not grow with them, and no
answer is read: what a trial came to is kept with it (trials/headline.py), and what it cost is a
running total.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db.models import Count, Max, QuerySet, Sum

from nomikon.server.apps.briefs.models import OPEN, AskedQuestion, Brief, Scorecard, Version
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.ledger.write import TOLD_BEFORE
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.trials.headline import answered_in
from nomikon.server.apps.trials.models import (
    COMPARE,
    COMPLETE,
    OPEN_STATES,
    PAUSED,
    TRIAL_FAILED,
    Arm,
    Output,
    Trial,
)
from nomikon.server.apps.verdicts.models import Verdict, Watch, WatchCheck
from nomikon.server.apps.verdicts.reads import NoticeShape
from nomikon.server.apps.verdicts.standing import (
    MOST_LATER,
    adopted_verdicts,
    later_trials,
    notices_from,
)
from nomikon.server.apps.verdicts.watching import watch_checks
from nomikon.server.desk.overview import leading, spine_arms, spine_of
from nomikon.server.in_place import NOT_TOLD, in_place

# How many things a line tells; the rest are told under the brief's stages.
MOST_WAITING = 4
MOST_TRIALS_WAITING = 2


@dataclass
class _Read:
    """All that one line is told from."""

    versions: list[int] = field(default_factory=list)
    trials: list[Trial] = field(default_factory=list)
    arms: list[Arm] = field(default_factory=list)
    verdict: Verdict | None = None
    later: list[Trial] = field(default_factory=list)
    watch: Watch | None = None
    checks: list[WatchCheck] = field(default_factory=list)
    has_scorecard: bool = False
    questions: int = 0
    single_calls: int = 0
    single_simulated: int = 0
    marked: Counter[int] = field(default_factory=Counter)
    done: Counter[int] = field(default_factory=Counter)


def docket() -> list[dict[str, Any]]:
    """Every brief's line."""
    briefs = list(Brief.objects.filter(archived=False))
    read = _read_all(briefs)
    return [_told(brief, read[brief.pk]) for brief in briefs]


def docket_entry(brief: Brief) -> dict[str, Any]:
    """One brief's line."""
    return _told(brief, _read_all([brief])[brief.pk])


def _read_all(briefs: Sequence[Brief]) -> dict[int, _Read]:
    ids = [b.pk for b in briefs]
    found = {pk: _Read() for pk in ids}
    for brief, number in (
        Version.objects.filter(brief__in=ids).order_by("number").values_list("brief_id", "number")
    ):
        found[brief].versions.append(number)
    trials = Trial.objects.filter(brief__in=ids).select_related("scorecard").order_by("number")
    for trial in trials:
        found[trial.brief_id].trials.append(trial)
    for arm in spine_arms().filter(trial__brief__in=ids):
        found[arm.trial.brief_id].arms.append(arm)
    _read_verdicts(ids, found)
    for brief in Scorecard.objects.filter(brief__in=ids).values_list("brief_id", flat=True):
        found[brief].has_scorecard = True
    for brief, n in _counted(AskedQuestion.objects.filter(brief__in=ids, state=OPEN), "brief_id"):
        found[brief].questions = n
    # Single calls stand on their own lines; what a trial's line tells is its outputs' cost.
    single = Line.objects.filter(brief__in=ids, cost_nano__gt=0).exclude(what=TOLD_BEFORE)
    for brief, nano, part in (
        single.order_by()
        .values("brief_id")
        .annotate(n=Sum("cost_nano"), part=Sum("simulated_nano"))
        .values_list("brief_id", "n", "part")
    ):
        found[brief].single_calls, found[brief].single_simulated = nano - part, part
    _read_counts(found)
    return found


def _read_verdicts(ids: Sequence[int], found: dict[int, _Read]) -> None:
    last = Verdict.objects.filter(brief__in=ids).order_by().values("brief").annotate(last=Max("id"))
    verdicts = list(adopted_verdicts().filter(pk__in=[row["last"] for row in last]))
    if not verdicts:
        return
    for verdict in verdicts:
        found[verdict.brief_id].verdict = verdict
    oldest = min(v.decided_at for v in verdicts)
    for trial in later_trials().filter(
        brief__in=[v.brief_id for v in verdicts], finished_at__gt=oldest
    ):
        mine = found[trial.brief_id]
        after = mine.verdict and trial.finished_at and trial.finished_at > mine.verdict.decided_at
        if after and len(mine.later) < MOST_LATER:
            mine.later.append(trial)
    for watch in Watch.objects.filter(verdict__in=verdicts).order_by("id"):
        found[watch.brief_id].watch = watch
    newest = {r.watch.pk: r for r in found.values() if r.watch is not None}
    for check in watch_checks().filter(watch__in=list(newest)):
        newest[check.watch_id].checks.append(check)


def _read_counts(found: dict[int, _Read]) -> None:
    """Marks in the newest trials, and how far those that run have come."""
    read = {t.pk: r for r in found.values() if (t := _newest(r.trials)) is not None}
    marks = Mark.objects.filter(output__arm__trial__in=list(read), current=True)
    for trial, n in _counted(marks, "output__arm__trial", distinct="output"):
        read[trial].marked[trial] = n
    running = {t.pk: r for r in found.values() for t in r.trials if t.state in OPEN_STATES}
    for trial, n in _counted(Output.objects.filter(arm__trial__in=list(running)), "arm__trial"):
        running[trial].done[trial] = n


def _counted(rows: QuerySet[Any], by: str, distinct: str = "id") -> Iterable[tuple[int, int]]:
    counted: Any = rows.order_by().values(by).annotate(n=Count(distinct, distinct=distinct != "id"))
    found: Iterable[tuple[int, int]] = counted.values_list(by, "n")
    return found


def _newest(trials: Sequence[Trial]) -> Trial | None:
    """The newest trial whose answers are there to be read."""
    return next((t for t in reversed(trials) if t.state == COMPLETE and t.purpose == COMPARE), None)


def _told(brief: Brief, read: _Read) -> dict[str, Any]:
    """A brief whose figures cannot be worked out takes no other one's line with it."""
    return in_place(
        lambda: _entry(brief, read), lambda: _bare_entry(brief, read), f"brief {brief.pk}"
    )


def _bare_entry(brief: Brief, read: _Read) -> dict[str, Any]:
    """The line without a figure."""
    return {
        "id": brief.pk,
        "name": brief.name,
        "job": brief.job,
        "state": f"{NOT_TOLD[0].upper()}{NOT_TOLD[1:]}.",
        "course": [],
        "best": None,
        "best_label": "",
        "waiting": [],
        **_spent(read),
    }


def _spent(read: _Read) -> dict[str, int]:
    return {
        "spent": sum(t.spent_nano - t.simulated_nano for t in read.trials) + read.single_calls,
        "simulated": sum(t.simulated_nano for t in read.trials) + read.single_simulated,
    }


def _entry(brief: Brief, read: _Read) -> dict[str, Any]:
    basis, scores = spine_of(read.arms, read.verdict)
    notices = notices_from(read.verdict, read.later, read.checks) if read.verdict else []
    best = max(scores, key=lambda n: scores[n]["mean"], default=None)
    return {
        "id": brief.pk,
        "name": brief.name,
        "job": brief.job,
        "state": _state_in_words(read, best, scores, notices),
        "course": [{"version": n, "mean": scores[n]["mean"]} for n in read.versions if n in scores],
        "best": scores.get(best) if best is not None else None,
        "best_label": f"v{best} on {basis['model_short']}" if basis and best is not None else "",
        "waiting": _waits_for(read, notices)[:MOST_WAITING],
        **_spent(read),
    }


def _waits_for(read: _Read, notices: list[NoticeShape]) -> list[dict[str, str]]:
    """What a person has to do, the most pressing first: words, and the address within the brief."""
    found = []
    if notices:
        found.append((f"verdict to look at again: trial {notices[0]['trial_number']}", "verdict"))
    if read.watch and read.watch.stopped_at is None and read.watch.trouble:
        found.append((f"the watch could not ask: {read.watch.trouble}", "verdict"))
    halted = [t for t in reversed(read.trials) if t.state in (PAUSED, TRIAL_FAILED)]
    for trial in halted[:MOST_TRIALS_WAITING]:
        told = f": {trial.message}" if trial.message else ""
        found.append((f"trial {trial.number} {trial.state}{told}", f"trials/{trial.pk}"))
    if not read.has_scorecard:
        found.append(("no scorecard: what counts as good?", "brief"))
    if read.questions:
        more = "s" * (read.questions != 1)
        found.append((f"{read.questions} open question{more}", "draft"))
    newest = _newest(read.trials)
    if newest and (unread := answered_in(newest) - read.marked[newest.pk]):
        found.append((f"{unread:,} answers unread", "review"))
    return [{"words": words, "to": to} for words, to in found]


def _state_in_words(
    read: _Read,
    best: int | None,
    scores: dict[int, dict[str, Any]],
    notices: list[NoticeShape],
) -> str:
    parts = []
    adopted = read.verdict.arm.asked_version.number if read.verdict else None
    running = next((t for t in read.trials if t.state in OPEN_STATES), None)
    if adopted:
        parts.append(f"v{adopted} adopted.")
        parts += [f"Trial {n['trial_number']} speaks against it." for n in notices[:1]]
    if running:
        share = read.done[running.pk] * 100 // max(1, running.n_outputs)
        parts.append(f"Trial {running.number} is running ({share} %).")
    elif told := leading(scores, adopted):
        parts.append(f"{told}.")
    if not read.versions:
        parts.append("Nothing written yet.")
    elif best is None and not running:
        parts.append(f"v{max(read.versions)} drafted, no trial yet.")
    return " ".join(parts)
