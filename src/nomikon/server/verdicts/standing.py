"""Whether an adopted verdict still stands: what later trials and its watch say against it."""

from __future__ import annotations

from typing import Any

from nomikon.core.measures import read_scorecard
from nomikon.core.stats import MISSED
from nomikon.core.stats.words import level_after, p_in_words
from nomikon.server.briefs.models import Brief
from nomikon.server.datasets.models import HELD_OUT
from nomikon.server.trials.board import figures_of, thresholds_of
from nomikon.server.trials.models import COMPARE, COMPLETE, Arm, Trial
from nomikon.server.verdicts.models import Verdict
from nomikon.server.verdicts.watching import watch_detail

# So many of the newest later trials are looked through.
MOST_LATER = 20


def twin_of(arm: Arm, trial: Trial) -> Arm | None:
    """The arm of another trial that is the same version, model and settings."""
    found = trial.arms.filter(version=arm.version_id, model=arm.model_id)
    same = (arm.settings, arm.without)
    return next((x for x in found if (x.settings, x.without) == same), None)


def adopted_verdict(brief: Brief) -> Verdict | None:
    """The one that holds: the last."""
    return (
        Verdict.objects.filter(brief=brief)
        .select_related("arm__trial", "arm__version", "arm__model__connection")
        .order_by("-id")
        .first()
    )


def notices_of(brief: Brief) -> list[dict[str, Any]]:
    """What speaks against the adopted arm now, newest first: trial or watch, and words."""
    verdict = adopted_verdict(brief)
    if verdict is None:
        return []
    later = brief.trials.filter(
        purpose=COMPARE, state=COMPLETE, finished_at__gt=verdict.decided_at
    ).order_by("-number")[:MOST_LATER]
    found = [n for n in (_against(verdict.arm, t) for t in later) if n is not None]
    watch = verdict.watches.order_by("-id").first()
    if watch is not None:
        detail = watch_detail(watch)
        for check in reversed(detail["checks"]):
            if check["drifted"]:
                found.insert(
                    0,
                    {
                        "kind": "drift",
                        "trial": check["trial"],
                        "trial_number": check["trial_number"],
                        "words": f"Drifted since it was adopted: {check['words']}.",
                    },
                )
                break
    return found


def _against(arm: Arm, trial: Trial) -> dict[str, Any] | None:
    beating = beaten_by(arm, trial)
    if beating is None:
        return None
    rival, difference, p = beating
    split = " on held-out cases" if trial.split == HELD_OUT else ""
    return {
        "kind": "beaten",
        "trial": trial.pk,
        "trial_number": trial.number,
        "words": (
            f"Trial {trial.number}{split}: {rival.version_label} on {rival.model.name} scores "
            f"{difference:.3f} higher than the adopted {arm.version_label} (p {p_in_words(p)} after "
            "correction)."
        ),
    }


def beaten_by(arm: Arm, trial: Trial) -> tuple[Arm, float, float] | None:
    """The arm that beats this one by most in a complete trial, with the difference and p; or None."""
    own = twin_of(arm, trial)
    if own is None or trial.state != COMPLETE:
        return None
    figures = figures_of(trial, against=own)
    better = [
        c
        for c in (figures.comparisons if figures else [])
        if c.difference is not None
        and c.difference > 0
        and c.p_holm is not None
        and c.p_holm <= level_after(trial.extensions)
    ]
    if not better:
        return None
    most = max(better, key=lambda c: c.difference or 0.0)
    rival = trial.arms.select_related("version", "model").get(pk=int(most.a))
    return rival, most.difference or 0.0, most.p_holm or 0.0


def reservations_about(arm: Arm) -> list[str]:
    """What an adoption should answer to: no held-out evidence, or figures that speak against it."""
    found = []
    held = Trial.objects.filter(brief=arm.trial.brief_id, split=HELD_OUT, state=COMPLETE)
    if not any(twin_of(arm, t) is not None for t in held):
        found.append("it was never run on held-out cases")
    if beating := beaten_by(arm, arm.trial):
        rival, difference, p = beating
        found.append(
            f"in trial {arm.trial.number} {rival.version_label} on {rival.model.name} scores "
            f"{difference:.3f} higher (p {p_in_words(p)} after correction)"
        )
    card = read_scorecard(arm.trial.scorecard.document)
    found += [
        f"it misses what the scorecard asks of {t['measure']}: {t['rule']} {t['needed']:g}, and it "
        f"has {t['mean']:.3f} ({t['low']:.3f} to {t['high']:.3f})"
        for t in thresholds_of(arm.trial, card).get(arm.pk, [])
        if t["state"] == MISSED
    ]
    return found
