"""What automatic rounds do next. Every step is one transaction and can be repeated after a kill.

`advance` looks at what is stored and moves on by one step at most; the worker
calls it again and again and makes the model calls that it asks for.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal

from django.db import transaction

from nomikon.core.consulting import ROLES
from nomikon.core.errors import DomainError
from nomikon.core.prompts import check_messages
from nomikon.core.prompts.amending import amend_inputs
from nomikon.core.prompts.evidence import Fault
from nomikon.core.prompts.rendering import render
from nomikon.core.trials.estimates import NANO, estimate_messages
from nomikon.core.trials.rounds import FAULTS_SHOWN, best_credible, deal_faults
from nomikon.engine.store import STOP
from nomikon.server.apps.briefs.actions.annotate_version import AnnotateVersion
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.briefs.questions import job_of
from nomikon.server.apps.datasets.models import HELD_OUT, WORKING
from nomikon.server.apps.ledger.write import emit, write_ledger
from nomikon.server.apps.reviews.faults import faults_of
from nomikon.server.apps.rounds.building import build_version
from nomikon.server.apps.rounds.models import (
    ASKING,
    DECIDED,
    ENDED,
    MEASURING,
    ROUNDS_FAILED,
    RUNNING,
    STOPPED,
    TESTING,
    Candidate,
    Round,
    Rounds,
)
from nomikon.server.apps.trials.actions.halt_trial import HaltTrial
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.models import COMPLETE, OPEN_STATES, Trial
from nomikon.server.apps.trials.planning import make_plan
from nomikon.server.apps.trials.results import figures_of


@dataclass(frozen=True)
class Step:
    """over: nothing is left to do. ask: candidates whose proposals are to be had now."""

    over: bool = False
    ask: list[int] = field(default_factory=list)


WAIT, OVER = Step(), Step(over=True)


def actor_name(rounds: Rounds) -> str:
    """Whom the ledger and the versions name."""
    return f"rounds {rounds.number}"


def open_rounds(driven: set[int]) -> list[int]:
    """Rounds that run and that nobody drives yet."""
    found = Rounds.objects.filter(state=RUNNING).exclude(pk__in=driven)
    return list(found.order_by("id").values_list("id", flat=True))


def spent_on(rounds: Rounds) -> int:
    """What its trials and its proposals have newly cost, in billionths."""
    proposals = Candidate.objects.filter(round__rounds=rounds).values_list("cost_nano", flat=True)
    return sum(t.spent_nano for t in trials_of(rounds)) + sum(c or 0 for c in proposals)


def simulated_on(rounds: Rounds) -> int:
    """Of that, what was on simulated models, which nobody pays."""
    proposals = Candidate.objects.filter(round__rounds=rounds).values_list("cost_nano", flat=True)
    asked = rounds.amender.simulated_part(sum(c or 0 for c in proposals))
    return sum(t.simulated_nano for t in trials_of(rounds)) + asked


def trials_of(rounds: Rounds) -> list[Trial]:
    """Every trial it has started, in order."""
    found: dict[int, Trial] = {}
    for part in rounds.parts.select_related("measured", "tested"):
        found.update({t.pk: t for t in (part.measured, part.tested) if t is not None})
    if rounds.held_trial is not None:
        found[rounds.held_trial.pk] = rounds.held_trial
    return [found[pk] for pk in sorted(found)]


def advance(rounds_id: int, now: datetime) -> Step:
    """Move on by one step. What cannot be done ends the rounds with its reason."""
    try:
        with transaction.atomic():
            rounds = Rounds.objects.select_related(
                "brief", "start", "best", "held_trial", "dataset_version", "scorecard", "model"
            ).get(pk=rounds_id)
            if rounds.state != RUNNING:
                return OVER
            return _Driver(rounds, now).step()
    except DomainError as error:
        end_rounds(rounds_id, ROUNDS_FAILED, error.message, now)
        return OVER


@transaction.atomic
def end_rounds(rounds_id: int, state: str, message: str, now: datetime) -> None:
    """Record how the rounds ended, and what they came to."""
    rounds = Rounds.objects.select_related("brief", "start", "best").get(pk=rounds_id)
    rounds.state, rounds.message, rounds.ended_at = state, message, now
    rounds.save(update_fields=["state", "message", "ended_at"])
    write_ledger(
        "rounds.ended",
        rounds,
        actor=actor_name(rounds),
        now=now,
        brief=rounds.brief,
        facts={
            "rounds": rounds.number,
            "state": state,
            "start": rounds.start.number,
            "best": rounds.best.number,
            "why": message[:300],
        },
    )


class _Driver:
    def __init__(self, rounds: Rounds, now: datetime) -> None:
        self.rounds, self.now = rounds, now

    def step(self) -> Step:
        rounds = self.rounds
        running = [t for t in trials_of(rounds) if t.state in OPEN_STATES]
        if rounds.stopping:
            for trial in running:
                if trial.asked != STOP:
                    HaltTrial(trial.pk, STOP, actor_name(rounds), self.now).execute()
            return WAIT if running else self._end(STOPPED, "stopped on request")
        if running:
            return WAIT
        if rounds.held_trial is not None:
            return self._end(*self._after(rounds.held_trial, ENDED, rounds.message))
        part = rounds.parts.select_related("parent", "measured", "tested").last()
        if part is None:
            return self._begin(1, None)
        if part.phase == MEASURING:
            return self._measured(part)
        if part.phase == ASKING:
            return self._asked(part)
        return self._tested(part)

    # --- steps ----------------------------------------------------------

    def _begin(self, number: int, measured: Trial | None) -> Step:
        """A new round on the best version; its answers may be there already."""
        part = Round(rounds=self.rounds, number=number, parent=self.rounds.best, measured=measured)
        if measured is None:
            part.measured = self._start([part.parent.number], "what the start scores", WORKING)
        part.save()
        return self._note(WAIT)

    def _measured(self, part: Round) -> Step:
        assert part.measured is not None
        if part.measured.state != COMPLETE:
            return self._end(*self._after(part.measured, STOPPED, ""))
        found = faults_of(part.measured, part.parent)[:FAULTS_SHOWN]
        if not found:
            return self._finish(f"nothing speaks against v{part.parent.number} any more")
        part.faults = [_stored(f) for f in found]
        part.phase = ASKING
        part.save()
        job = job_of(self.rounds.brief)
        messages = check_messages(part.parent.messages)
        for place, faults in enumerate(deal_faults(len(found), self.rounds.candidates), 1):
            inputs = amend_inputs(messages, [found[i] for i in faults], job)
            role = ROLES["amendments"]
            asked = render(role.messages(role.own_words(self.rounds.instruction)), inputs)
            Candidate.objects.create(
                round=part,
                place=place,
                faults=faults,
                asked=[{"role": m.role, "content": m.content} for m in asked.messages],
            )
        return self._note(WAIT)

    def _asked(self, part: Round) -> Step:
        tried = list(part.tried.all())
        if self._over_budget():
            return self._end(STOPPED, "the budget is spent")
        if waiting := [c.pk for c in tried if not c.answered]:
            return Step(ask=waiting)
        # One after the other: a candidate that says what another says is left out.
        for candidate in tried:
            if candidate.version is None and not candidate.why:
                build_version(part, candidate, tried, actor_name(self.rounds), self.now)
        versions = [c.version.number for c in tried if c.version is not None]
        if not versions:
            part.phase, part.why = DECIDED, "no candidate could be built from what was proposed"
            part.save()
            return self._finish(part.why)
        part.tested = self._start(
            [part.parent.number, *versions], f"round {part.number}: do they beat it?", WORKING
        )
        part.phase = TESTING
        part.save()
        return self._note(WAIT)

    def _tested(self, part: Round) -> Step:
        trial = part.tested
        assert trial is not None
        if trial.state != COMPLETE:
            return self._end(*self._after(trial, STOPPED, ""))
        arms = {str(a.pk): a for a in trial.arms.select_related("version")}
        parent = next(a for a in arms.values() if a.version_id == part.parent_id)
        figures = figures_of(trial, against=parent)
        assert figures is not None
        decided = best_credible(
            figures.arms,
            figures.comparisons,
            lengths={key: _length(a.asked_version) for key, a in arms.items()},
            left={key for key, a in arms.items() if a.dropped is not None},
        )
        part.phase, part.why = DECIDED, decided.why
        if decided.arm is not None:
            part.kept = self.rounds.best = arms[decided.arm].asked_version
            self.rounds.save(update_fields=["best"])
        part.save()
        self._put_away(part)
        if decided.arm is None:
            return self._finish(f"round {part.number} brought nothing: {decided.why}")
        if part.number >= self.rounds.most_rounds:
            return self._finish(f"all {part.number} rounds are run")
        return self._begin(part.number + 1, trial)

    def _finish(self, why: str) -> Step:
        """The held-out check, once, of start and best; without a better version it is saved up."""
        rounds = self.rounds
        if rounds.best_id == rounds.start_id:
            return self._end(ENDED, why)
        if not rounds.dataset_version.entries.filter(split=HELD_OUT).exists():
            return self._end(ENDED, f"{why}; there are no held-out cases to check it on")
        if self._over_budget():
            return self._end(STOPPED, f"{why}; the budget is spent, so held-out cases were not run")
        rounds.message = why
        numbers = [rounds.start.number, rounds.best.number]
        rounds.held_trial = self._start(numbers, "does the gain hold on held-out cases?", HELD_OUT)
        rounds.save(update_fields=["message", "held_trial"])
        return self._note(WAIT)

    # --- what the steps share ---------------------------------------------

    def _start(self, versions: list[int], question: str, split: str) -> Trial:
        rounds = self.rounds
        plan = make_plan(
            rounds.brief,
            versions=versions,
            models=[rounds.model_id],
            settings=[rounds.settings],
            dataset_version=rounds.dataset_version_id,
            split=split,
            repeats=rounds.repeats,
            scorecard=rounds.scorecard_id,
            # The held-out check is the last word: it is run whole.
            racing=split == WORKING,
        )
        left = None
        if rounds.budget_nano is not None:
            # A budget of nothing would be none at all: the least there is stops it at once.
            left = Decimal(max(1, rounds.budget_nano - spent_on(rounds))) / NANO
        name = f"{actor_name(rounds)}: {question}"
        return StartTrial(plan, name, actor_name(rounds), self.now, left).execute()

    def _after(self, trial: Trial, state: str, why: str) -> tuple[str, str]:
        """How the rounds end with a trial that ended."""
        if trial.state == COMPLETE:
            return state, why
        reason = f" ({trial.message})" if trial.message else ""
        return STOPPED, f"trial {trial.number} is {trial.state}{reason}, so the rounds cannot go on"

    def _over_budget(self) -> bool:
        budget = self.rounds.budget_nano
        return budget is not None and spent_on(self.rounds) >= budget

    def _put_away(self, part: Round) -> None:
        """Candidates that were not kept are archived: in the lineage, out of the way."""
        for candidate in part.tried.select_related("version"):
            version = candidate.version
            if version is not None and version != part.kept and not version.archived:
                AnnotateVersion(
                    version, None, None, True, actor_name(self.rounds), self.now
                ).execute()

    def _end(self, state: str, message: str) -> Step:
        end_rounds(self.rounds.pk, state, message, self.now)
        return OVER

    def _note(self, step: Step) -> Step:
        """Tell live pages that something has moved on."""
        emit(f"brief:{self.rounds.brief_id}", "rounds", {"rounds": self.rounds.pk}, now=self.now)
        return step


def _length(version: Version) -> int:
    return estimate_messages([m.content for m in check_messages(version.messages)])


def _stored(fault: Fault) -> dict[str, object]:
    return {
        "title": fault.title[:400],
        "label": fault.label,
        "source": fault.source,
        "n": fault.n,
        "cases": fault.cases,
        "outputs": [r.output for r in fault.remarks],
    }
