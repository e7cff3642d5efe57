"""Keep watch over an adopted arm: begin, ask again, stop."""

from __future__ import annotations

import random
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import transaction
from django.db.models import Max

from nomikon.core.errors import DomainError
from nomikon.core.measures import read_scorecard
from nomikon.core.results import watched_in
from nomikon.core.stats.drift import fewest_cases
from nomikon.core.trials import ANSWERED
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.cases import cases_of
from nomikon.server.apps.trials.judged import count_unjudged
from nomikon.server.apps.trials.models import COMPLETE, OPEN_STATES, Output
from nomikon.server.apps.verdicts.models import Verdict, Watch, WatchCheck
from nomikon.server.apps.verdicts.watching import plan_watch_check

MOST_CHECKS, MOST_DAYS, FEWEST_CASES = 365, 365, 10
# Where more of a check's answers than this share got no judgement, no other check begins by itself.
MOST_UNREAD = 0.1


class WatchError(DomainError):
    """A watch cannot be kept like this."""

    code = "watch_invalid"


class UnreadJudgesError(WatchError):
    """The watch's judges are not understood; asking again at its time would pay for nothing."""


@dataclass
class StartWatch:
    """cases: how many of the cases of the verdict's trial, drawn once. every_days: None on demand."""

    verdict: Verdict
    cases: int
    planned: int
    every_days: int | None
    actor: str
    now: datetime

    def check_numbers(self) -> None:
        """Raises WatchError for a number that no watch can have."""
        n = self.verdict.arm.trial.n_cases
        fewest = min(FEWEST_CASES, n)
        if not fewest <= self.cases <= n:
            raise WatchError(
                f"cases is {self.cases}; allowed is {fewest} to {n}, the cases of trial "
                f"{self.verdict.arm.trial.number}",
                field="cases",
            )
        if not 1 <= self.planned <= MOST_CHECKS:
            raise WatchError(
                f"planned is {self.planned}; allowed is 1 to {MOST_CHECKS}", field="planned"
            )
        if self.every_days is not None and not 1 <= self.every_days <= MOST_DAYS:
            raise WatchError(
                f"every_days is {self.every_days}; allowed is 1 to {MOST_DAYS}", field="every_days"
            )

    def check(self) -> None:
        self.check_numbers()
        card = read_scorecard(self.verdict.arm.trial.scorecard.document)
        fewest = fewest_cases(self.planned, len(watched_in(card)))
        if self.cases < fewest:
            raise WatchError(
                f"with {self.cases} cases and {self.planned} checks no change could ever raise an "
                f"alarm, however great: {self.planned} checks need {fewest} cases at least",
                field="cases",
            )

    @transaction.atomic
    def execute(self) -> Watch:
        self.check()
        arm = self.verdict.arm
        ids = list(cases_of(arm.trial).values_list("revision_id", flat=True))
        chosen = set(random.Random(arm.trial.seed).sample(ids, self.cases))
        for former in Watch.objects.filter(brief=self.verdict.brief, stopped_at=None):
            former.stopped_at, former.next_at = self.now, None
            former.save(update_fields=["stopped_at", "next_at"])
        watch = Watch.objects.create(
            brief=self.verdict.brief,
            verdict=self.verdict,
            sample=[pk for pk in ids if pk in chosen],
            planned=self.planned,
            every_days=self.every_days,
            created_at=self.now,
            created_by=self.actor,
        )
        write_ledger(
            "watch.started",
            watch,
            actor=self.actor,
            now=self.now,
            brief=watch.brief,
            facts={
                "version": arm.asked_version.number,
                "model": arm.asked_model.name,
                "cases": self.cases,
                "planned": self.planned,
                "every_days": self.every_days,
            },
        )
        AskAgain(watch, self.actor, self.now).execute()
        return watch


@dataclass
class AskAgain:
    """Ask the arm again on the watch's cases; the first time is what later ones compare with."""

    watch: Watch
    actor: str
    now: datetime

    def check(self) -> None:
        watch = self.watch
        if watch.stopped_at is not None:
            raise WatchError("this watch was stopped: begin another")
        running = watch.checks.filter(trial__state__in=OPEN_STATES).select_related("trial").first()
        if running is not None:
            raise WatchError(f"trial {running.trial.number} of this watch is still running")
        first = watch.checks.filter(number=0).select_related("trial").first()
        if first is not None and first.trial.state != COMPLETE:
            raise WatchError(
                f"the first run, trial {first.trial.number}, is {first.trial.state}, so there is "
                "nothing to compare with: run what it is missing, or begin another watch"
            )
        if watch.checks.filter(number__gt=0).count() >= watch.planned:
            raise WatchError(
                f"all {watch.planned} planned checks are used: more would raise false alarms; begin "
                "another watch"
            )

    @transaction.atomic
    def execute(self) -> WatchCheck:
        self.check()
        watch = self.watch
        last = watch.checks.aggregate(last=Max("number"))["last"]
        number = 0 if last is None else last + 1
        version = watch.verdict.arm.asked_version.number
        name = "the first" if number == 0 else f"check {number} of {watch.planned}"
        trial = StartTrial(
            plan_watch_check(watch), f"watch over v{version}: {name}", self.actor, self.now
        ).execute()
        made = WatchCheck.objects.create(watch=watch, number=number, trial=trial)
        left = number < watch.planned
        watch.next_at = (
            self.now + timedelta(days=watch.every_days) if watch.every_days and left else None
        )
        watch.trouble = ""
        watch.save(update_fields=["next_at", "trouble"])
        write_ledger(
            "watch.asked",
            watch,
            actor=self.actor,
            now=self.now,
            brief=watch.brief,
            facts={"check": number, "planned": watch.planned, "trial": trial.number},
        )
        return made


@dataclass
class StopWatch:
    """No more checks; what was found stays."""

    watch: Watch
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Watch:
        watch = self.watch
        if watch.stopped_at is None:
            watch.stopped_at, watch.next_at = self.now, None
            watch.save(update_fields=["stopped_at", "next_at"])
            write_ledger(
                "watch.stopped",
                watch,
                actor=self.actor,
                now=self.now,
                brief=watch.brief,
                facts={"checks": watch.checks.filter(number__gt=0).count()},
            )
        return watch


def check_judges(watch: Watch) -> None:
    """Refuse to go on by itself where the last check's judges could not be read."""
    last = watch.checks.select_related("trial__scorecard").order_by("-number").first()
    if last is None or last.trial.state != COMPLETE:
        return
    unread = count_unjudged(last.trial)
    answers = Output.objects.filter(arm__trial=last.trial, outcome=ANSWERED).count()
    if unread > MOST_UNREAD * answers:
        raise UnreadJudgesError(
            f"{unread} of {answers} answers of trial {last.trial.number} have no judgement, asked "
            "for once more or not: no check is begun by itself until you ask for one"
        )


def ask_due_watches(now: datetime) -> int:
    """Ask every watch whose time has come; returns how many trials were started.

    One that cannot be asked (a price that is gone, say) tells why and is tried a day later. One
    whose judges could not be read stops and says so, until a person asks it.
    """
    started = 0
    due = Watch.objects.filter(stopped_at=None, next_at__lte=now).select_related(
        "brief", "verdict__arm__version", "verdict__arm__model__connection", "verdict__arm__trial"
    )
    for watch in due:
        try:
            check_judges(watch)
            AskAgain(watch, "watch", now).execute()
            started += 1
        except UnreadJudgesError as error:
            watch.trouble, watch.next_at = error.message, None
            watch.save(update_fields=["trouble", "next_at"])
        except DomainError as error:
            watch.trouble, watch.next_at = error.message, now + timedelta(days=1)
            watch.save(update_fields=["trouble", "next_at"])
    return started
