"""Whether an adopted verdict still stands: what later trials and its watch say against it."""

from __future__ import annotations

from collections.abc import Sequence

from django.db.models import Prefetch, QuerySet
from django.utils import timezone

from nomikon.core.measures import not_looked_at, read_scorecard
from nomikon.core.measures.unseen import unseen_of
from nomikon.core.prompts.messages import check_messages
from nomikon.core.stats import MISSED
from nomikon.core.stats.words import p_in_words
from nomikon.server.apps.briefs.facts import read_as
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.models import HELD_OUT
from nomikon.server.apps.trials.board import thresholds_of
from nomikon.server.apps.trials.headline import beaten_in, means_of
from nomikon.server.apps.trials.models import COMPARE, COMPLETE, Arm, Trial
from nomikon.server.apps.trials.reads import ReworkedMean
from nomikon.server.apps.trials.repeated import twin_of
from nomikon.server.apps.trials.results import results_of
from nomikon.server.apps.trials.reworking import bring_figures_up, last_reworked
from nomikon.server.apps.verdicts.models import Verdict, WatchCheck
from nomikon.server.apps.verdicts.reads import NoticeShape
from nomikon.server.apps.verdicts.watching import drift_in, watch_checks

# So many of the newest later trials are looked through.
MOST_LATER = 20


def adopted_verdict(brief: Brief) -> Verdict | None:
    """The one that holds: the last."""
    return adopted_verdicts().filter(brief=brief).order_by("-id").first()


def adopted_verdicts() -> QuerySet[Verdict]:
    """Verdicts with all that is told of them."""
    return Verdict.objects.select_related(
        "arm__trial__scorecard", "arm__version", "arm__model__connection"
    )


def notices_of(brief: Brief) -> list[NoticeShape]:
    """What speaks against the adopted arm now, newest first: trial or watch, and words."""
    verdict = adopted_verdict(brief)
    if verdict is None:
        return []
    later = later_trials().filter(brief=brief, finished_at__gt=verdict.decided_at)
    watch = verdict.watches.order_by("-id").first()
    checks = watch_checks().filter(watch=watch) if watch is not None else []
    return notices_from(verdict, list(later[:MOST_LATER]), list(checks))


def later_trials() -> QuerySet[Trial]:
    """Complete comparisons with their arms, the newest first."""
    arms = Arm.objects.select_related("version", "model")
    return (
        Trial.objects.filter(purpose=COMPARE, state=COMPLETE)
        .select_related("scorecard")
        .prefetch_related(Prefetch("arms", arms))
        .order_by("-number")
    )


def notices_from(
    verdict: Verdict, later: Sequence[Trial], checks: Sequence[WatchCheck]
) -> list[NoticeShape]:
    """later: trials that ended after the verdict, the newest first. checks: of its newest watch,
    in order."""
    found = [n for n in (_against(verdict.arm, t) for t in later) if n is not None]
    drifted = next((c for c in reversed(checks) if drift_in(c, checks[0])["drifted"]), None)
    if drifted is not None:
        words = drift_in(drifted, checks[0])["words"]
        found.insert(
            0,
            {
                "kind": "drift",
                "trial": drifted.trial_id,
                "trial_number": drifted.trial.number,
                "words": f"Drifted since it was adopted: {words}.",
            },
        )
    return found


def _against(arm: Arm, trial: Trial) -> NoticeShape | None:
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
            f"Trial {trial.number}{split}: {rival.in_words} scores "
            f"{difference:.3f} higher than the adopted {arm.version_label} (p {p_in_words(p)} after "
            "correction)."
        ),
    }


def beaten_by(arm: Arm, trial: Trial) -> tuple[Arm, float, float] | None:
    """The arm that beats this one by most in a complete trial, with the difference and p; or None."""
    own = twin_of(arm, trial)
    if own is None or trial.state != COMPLETE:
        return None
    beaten = beaten_in(trial, own)
    if beaten is None:
        return None
    rival = next(a for a in trial.arms.all() if a.pk == beaten.rival)
    return rival, beaten.difference, beaten.p


def reworked_since(verdict: Verdict) -> ReworkedMean | None:
    """What the adopted arm scores by today's rules, where its trial was worked out anew since.

    The verdict keeps the figures that it was given by; these stand beside them.
    """
    trial = verdict.arm.trial
    bring_figures_up(trial, timezone.now())
    found = last_reworked(trial)
    if found is None or found["at"] < verdict.decided_at or trial.state != COMPLETE:
        return None
    mean = means_of(trial).get(verdict.arm_id)
    return {
        "at": found["at"],
        "mean": mean.mean if mean else None,
        "low": mean.low if mean else None,
        "high": mean.high if mean else None,
    }


def reservations_about(arm: Arm) -> list[str]:
    """What an adoption should answer to: no held-out evidence, or figures that speak against it."""
    found = []
    held = Trial.objects.filter(brief=arm.trial.brief_id, split=HELD_OUT, state=COMPLETE)
    if not any(twin_of(arm, t) is not None for t in held):
        found.append("it was never run on held-out cases")
    if beating := beaten_by(arm, arm.trial):
        rival, difference, p = beating
        found.append(
            f"in trial {arm.trial.number} {rival.in_words} scores "
            f"{difference:.3f} higher (p {p_in_words(p)} after correction)"
        )
    found += [
        f"it misses what the scorecard asks of {t['measure']}: {t['rule']} {t['needed']:g}, and it "
        f"has {t['mean']:.3f} ({t['low']:.3f} to {t['high']:.3f})"
        for t in thresholds_of(results_of(arm.trial)).get(arm.pk, [])
        if t["state"] == MISSED
    ]
    return found


def unseen_by_score(arm: Arm) -> list[str]:
    """What the score of an arm cannot tell of it, in words: truth, tone, rules that nobody checks."""
    document = arm.trial.scorecard.document
    if arm.version is None:
        return not_looked_at(read_scorecard(document))
    messages = check_messages(arm.version.messages)
    return unseen_of(document, messages, read_as(arm.trial.brief, messages))
