"""A brief's line on the desk: its state in words, its best arm, and what waits for a person."""

from __future__ import annotations

from typing import Any

from django.db.models import Sum

from nomikon.server.briefs.models import OPEN, Brief
from nomikon.server.briefs.overview import progress, spine_scores, waiting_to_read
from nomikon.server.ledger.models import Line
from nomikon.server.trials.models import FAILED, OPEN_STATES, PAUSED, Output, Trial
from nomikon.server.verdicts.models import Verdict
from nomikon.server.verdicts.standing import adopted_verdict, notices_of

# How many things a line tells; the rest are told under the brief's stages.
MOST_WAITING = 4


def docket_entry(brief: Brief) -> dict[str, Any]:
    """A brief's line on the desk."""
    basis, scores = spine_scores(brief)
    versions = list(brief.versions.values_list("number", flat=True))
    running = brief.trials.filter(state__in=OPEN_STATES).order_by("number").first()
    adopted = adopted_verdict(brief)
    notices = notices_of(brief)
    best = max(scores, key=lambda n: scores[n]["mean"], default=None)
    spent = Output.every.filter(arm__trial__brief=brief).aggregate(n=Sum("cost_new"))["n"] or 0
    # Single calls stand on their own lines; what a trial's line tells is its outputs' cost.
    single = Line.objects.filter(brief=brief).exclude(what="trial.ended")
    spent += single.aggregate(n=Sum("cost_nano"))["n"] or 0
    return {
        "id": brief.pk,
        "name": brief.name,
        "job": brief.job,
        "state": _state_in_words(versions, running, adopted, best, notices),
        "course": [{"version": n, "mean": scores[n]["mean"]} for n in versions if n in scores],
        "best": scores.get(best) if best is not None else None,
        "best_label": f"v{best} on {basis['model']}" if basis and best is not None else "",
        "waiting": waits_for(brief, adopted, notices)[:MOST_WAITING],
        "spent": spent,
    }


def waits_for(
    brief: Brief, adopted: Verdict | None, notices: list[dict[str, Any]]
) -> list[dict[str, str]]:
    """What a person has to do, the most pressing first: words, and the address within the brief."""
    found = []
    if notices:
        found.append((f"verdict to look at again: trial {notices[0]['trial_number']}", "verdict"))
    watch = adopted and adopted.watches.filter(stopped_at=None).exclude(trouble="").first()
    if watch:
        found.append((f"the watch could not ask: {watch.trouble}", "verdict"))
    for trial in brief.trials.filter(state__in=(PAUSED, FAILED)).order_by("-number")[:2]:
        told = f": {trial.message}" if trial.message else ""
        found.append((f"trial {trial.number} {trial.state}{told}", f"trials/{trial.pk}"))
    if not brief.scorecards.exists():
        found.append(("no scorecard: what counts as good?", "brief"))
    if open_questions := brief.questions.filter(state=OPEN).count():
        more = "s" * (open_questions != 1)
        found.append((f"{open_questions} open question{more}", "draft"))
    if unread := waiting_to_read(brief):
        found.append((f"{unread:,} answers unread", "review"))
    return [{"words": words, "to": to} for words, to in found]


def _state_in_words(
    versions: list[int],
    running: Trial | None,
    adopted: Verdict | None,
    best: int | None,
    notices: list[dict[str, Any]],
) -> str:
    parts = []
    if adopted:
        parts.append(f"v{adopted.arm.version.number} adopted.")
        parts += [f"Trial {n['trial_number']} speaks against it." for n in notices[:1]]
    if running:
        done, of = progress(running)
        parts.append(f"Trial {running.number} is running ({done * 100 // max(1, of)} %).")
    elif best is not None and (not adopted or adopted.arm.version.number != best):
        parts.append(f"v{best} leads.")
    if not versions:
        parts.append("Nothing written yet.")
    elif best is None and not running:
        parts.append(f"v{max(versions)} drafted, no trial yet.")
    return " ".join(parts)
