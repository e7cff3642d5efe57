"""The engine's store, kept in the database. Only the worker's coordinator writes here."""

from __future__ import annotations

import json
import logging
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from functools import wraps
from typing import Any, ParamSpec, TypeVar

from django.db import OperationalError, connection, transaction
from django.db.models import Count, F, Max
from django.db.models.functions import Coalesce

from nomikon.core.measures import read_scorecard
from nomikon.core.rules import OUTCOME_RULE, SCORE_RULE
from nomikon.core.trials import OPEN_STATES, next_state, read_conversation
from nomikon.engine.race import Left
from nomikon.engine.results import taken_by
from nomikon.engine.store import StoreBusyError
from nomikon.engine.units import (
    ArmSpec,
    CallRecord,
    CaseSpec,
    CellKey,
    HadOutput,
    StoredAnswer,
    TrialSpec,
    UnitResult,
)
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.connections.spec import concurrency_of, connection_spec
from nomikon.server.apps.datasets.models import CaseRevision, Entry
from nomikon.server.apps.ledger.write import emit, note_spent, prune_events, write_ledger
from nomikon.server.apps.trials.answers import join_shared, stored_answers
from nomikon.server.apps.trials.calibrating import learn_from
from nomikon.server.apps.trials.callees import callee_of, callees_of
from nomikon.server.apps.trials.cases import cases_of, example_cases
from nomikon.server.apps.trials.judged import asked_anew, had_output, unjudged_outputs
from nomikon.server.apps.trials.models import (
    COMPLETE,
    PAUSED,
    TOLD_SPENT,
    Arm,
    Call,
    Output,
    ScoreRow,
    Trial,
)
from nomikon.server.apps.trials.packing import packed_text
from nomikon.server.apps.trials.planning import stratum_of
from nomikon.server.apps.trials.racing import wanted_outputs
from nomikon.server.apps.trials.rescoring import (
    Wanted,
    regroup,
    regroup_waiting,
    rescore,
    scored_anew,
    wanted_of,
)
from nomikon.server.apps.trials.reworking import bring_figures_up
from nomikon.server.apps.trials.settling import settle_as_ruled
from nomikon.server.refusals import refusal_of
from nomikon.server.rows import insert_rows, stored_time

log = logging.getLogger("nomikon.store")
WORKER = "worker"
BUDGET_SPENT = "the budget is spent"
ENDED_BY = {
    "complete": "every output is there",
    "paused": "budget spent or pause asked for",
    "cancelled": "stop asked for",
}
P = ParamSpec("P")
R = TypeVar("R")


def patient(method: Callable[P, R]) -> Callable[P, R]:
    """A full disk, a lock or a read-only file as StoreBusyError: it may pass."""

    @wraps(method)
    def asked(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return method(*args, **kwargs)
        except OperationalError as error:
            if not may_pass(error):
                raise
            raise StoreBusyError(str(error)) from error

    return asked


def may_pass(error: OperationalError) -> bool:
    """Whether what SQLite refused may be possible later: busy, full, read-only, out of reach."""
    return refusal_of(error).passes


class DatabaseStore:
    """Implements nomikon.engine.store.TrialStore for one trial."""

    def __init__(self, trial_id: int, *, clock: Callable[[], datetime]) -> None:
        self._trial_id = trial_id
        self._clock = clock
        self._arms: dict[str, int] = {}
        self._positions: dict[str, int] = {}
        self._simulated_arms: set[str] = set()
        self._simulated_models: set[str] = set()
        self._n_done = 0
        self._to_judge = 0
        self._judged = 0
        # Batches whose scores are not all worked out: by references put right meanwhile, by
        # decisions on their outcomes, over all repeats.
        self._left: deque[tuple[dict[int, UnitResult], dict[int, Wanted], bool]] = deque()

    @patient
    def load(self) -> TrialSpec:
        trial = Trial.objects.select_related(
            "scorecard", "dataset_version", "user_model__connection"
        ).get(pk=self._trial_id)
        # What it had before and what comes now are told together: by the same rules.
        bring_figures_up(trial, self._clock())
        regroup_waiting(trial)
        card = read_scorecard(trial.scorecard.document)
        arms = list(trial.arms.select_related("version", "model__connection"))
        if any(a.brought_in for a in arms) and rescore(trial, trial.scorecard):
            # What was brought in comes without scores.
            with transaction.atomic():
                Trial.objects.filter(pk=trial.pk).update(scores_changed=F("scores_changed") + 1)
                emit(f"trial:{trial.pk}", "reworked", {}, now=self._clock())
        self._arms = {str(a.pk): a.pk for a in arms}
        self._positions = {str(a.pk): a.position for a in arms}
        self._simulated_arms = {str(a.pk) for a in arms if a.model and a.model.is_simulated}
        self._simulated_models = {
            str(m.pk) for m in Model.objects.select_related("connection") if m.is_simulated
        }
        running = [a for a in arms if a.dropped is None]
        entries = list(cases_of(trial).select_related("revision"))
        self._references = {e.revision_id: wanted_of(e.revision) for e in entries}
        spec = TrialSpec(
            key=str(trial.pk),
            arms=tuple(_arm_spec(a) for a in running),
            cases=tuple(_case_spec(e) for e in entries),
            repeats=trial.repeats,
            seed=trial.seed,
            scorecard=trial.scorecard.document,
            # Each connection has its own limit; the trial may use all of them at once.
            concurrency=sum(
                {
                    a.model.connection_id: concurrency_of(a.model.connection)
                    for a in running
                    if a.model is not None
                }.values()
            ),
            generation=trial.generation,
            budget=trial.budget_nano,
            spent=trial.spent_nano,
            continuations=trial.continuations,
            judges=callees_of(card, trial.purpose),
            user=None if trial.user_model is None else callee_of(trial.user_model),
            racing=len(arms) if trial.racing and len(arms) > 1 else None,
            examples=frozenset(str(pk) for pk in example_cases(trial))
            if trial.racing
            else frozenset(),
            reference=None if trial.reference_id is None else str(trial.reference_id),
        )
        with transaction.atomic():
            now = self._clock()
            fresh = trial.started_at is None
            Trial.objects.filter(pk=trial.pk, state__in=OPEN_STATES).update(
                state=next_state(trial.state, "taken up"), started_at=trial.started_at or now
            )
            emit(f"trial:{trial.pk}", "running", {"fresh": fresh}, now=now)
        return spec

    @patient
    def done(self) -> set[CellKey]:
        rows = Output.objects.filter(arm__trial_id=self._trial_id).values_list(
            "arm_id", "revision_id", "repeat"
        )
        keys = {(str(a), str(r), n) for a, r, n in rows.iterator()}
        self._n_done = len(keys)
        return keys

    @patient
    def generations(self) -> Mapping[CellKey, int]:
        rows = (
            Output.every.filter(arm__trial_id=self._trial_id, superseded_by__isnull=False)
            .values("arm_id", "revision_id", "repeat")
            .annotate(generation=Max("superseded_by"))
        )
        return {
            (str(r["arm_id"]), str(r["revision_id"]), r["repeat"]): r["generation"] for r in rows
        }

    @patient
    def unjudged(self) -> Mapping[CellKey, HadOutput]:
        trial = Trial.objects.select_related("scorecard").get(pk=self._trial_id)
        outputs = list(unjudged_outputs(trial))
        anew = asked_anew(trial, outputs)
        found = {
            (str(o.arm_id), str(o.revision_id), o.repeat): had_output(o, anew.get(o.pk))
            for o in outputs
        }
        self._to_judge = len(found)
        return found

    @patient
    def known(self, keys: Sequence[str]) -> dict[str, StoredAnswer]:
        return stored_answers(keys)

    @patient
    def save(self, results: Sequence[UnitResult]) -> None:
        now = self._clock()
        trial = Trial.objects.select_related("scorecard").get(pk=self._trial_id)
        asked = dict(
            Call.objects.filter(
                pk__in={c.reused_from for r in results for c in r.calls if c.reused_from}
            ).values_list("pk", "answered_at")
        )
        then = stored_time(now)
        new = [r for r in results if r.had is None]
        judged = [r for r in results if r.had is not None]
        with transaction.atomic():
            made = insert_rows(Output, [self._output(r, then) for r in new])
            ids = [*made, *(int(r.had) for r in judged if r.had is not None)]
            stored = [*new, *judged]
            places = self._calls_before(judged)
            insert_rows(
                Call,
                [
                    self._call(
                        pk, c, stored_time(asked.get(c.reused_from or 0, now)), places.get(pk, 0)
                    )
                    for pk, r in zip(ids, stored, strict=True)
                    for c in r.calls
                ],
            )
            join_shared({c.answer_key for r in stored for c in r.calls if c.reused_from is None})
            self._make_room([r for r in judged if r.failure is None], trial.scorecard_id)
            insert_rows(
                ScoreRow,
                [
                    _score_row(pk, r, trial.scorecard_id)
                    for pk, r in zip(ids, stored, strict=True)
                    if r.failure is None
                ],
            )
            self._add_cost(judged)
            totals = {pk: r.total for pk, r in zip(ids, stored, strict=True)}
            corrected = self._corrected(trial, ids, stored)
            self._count_spent(results, bool(judged), now)
            done = self._n_done + len(new)
            settled = settle_as_ruled(trial, ids[: len(new)])
            self._tell(trial, dict(zip(ids, stored, strict=True)), totals, done, len(judged))
        # Only once it is stored: a batch that is refused is saved again.
        self._n_done = done
        self._judged += len(judged)
        self._left.append((dict(zip(ids, stored, strict=True)), corrected, bool(settled)))
        try:
            self._score_the_rest(trial)
        except OperationalError as error:
            # The batch is stored: it must not be saved again for what may pass.
            if not may_pass(error):
                raise
            log.warning("scores of a stored batch wait: %s", error)

    def _count_spent(self, results: Sequence[UnitResult], judged: bool, now: datetime) -> None:
        spent, simulated = sum(r.newly_spent for r in results), self._simulated_part(results)
        note_spent(spent, simulated, now)
        Trial.objects.filter(pk=self._trial_id).update(
            spent_nano=F("spent_nano") + spent,
            simulated_nano=F("simulated_nano") + simulated,
            scores_changed=F("scores_changed") + judged,
        )

    def _simulated_part(self, results: Sequence[UnitResult]) -> int:
        """Of what was newly spent, what the calls of simulated models came to."""
        return sum(
            c.newly_spent
            for r in results
            for c in r.calls
            if (
                r.arm_key in self._simulated_arms
                if c.callee is None
                else c.callee in self._simulated_models
            )
        )

    def _score_the_rest(self, trial: Trial) -> None:
        """What is scored after its batch is stored, while nobody waits to write.

        What a kill leaves here is brought by whoever looks at the trial next.
        """
        while self._left:
            outputs, corrected, settled = self._left[0]
            if corrected:
                self._by_references_now(trial, outputs, corrected)
            if corrected or settled:
                trial.refresh_from_db(fields=["figures_rule"])
                bring_figures_up(trial, self._clock(), told=False)
            self._regroup(trial, outputs)
            self._left.popleft()

    def _tell(
        self,
        trial: Trial,
        stored: Mapping[int, UnitResult],
        totals: Mapping[int, float | None],
        done: int,
        n_judged: int,
    ) -> None:
        """The event that live pages of this trial wait for."""
        told: dict[str, Any] = {
            "done": done,
            "of": trial.n_outputs,
            "rows": [self._told_row(pk, r, totals[pk]) for pk, r in stored.items() if pk in totals],
        }
        if self._to_judge:
            told["judged"] = [self._judged + n_judged, self._to_judge]
        emit(f"trial:{self._trial_id}", "outputs", told, now=self._clock())

    def _regroup(self, trial: Trial, stored: Mapping[int, UnitResult]) -> None:
        """Measures over all repeats, once they are in: worked out while nobody waits to write.

        What a kill leaves waiting here is brought by the next start (`load`).
        """
        totals = regroup(trial.scorecard, list(stored), trial.repeats)
        if totals:
            with transaction.atomic():
                self._tell(trial, stored, totals, self._n_done, 0)

    def _corrected(
        self, trial: Trial, ids: Sequence[int], stored: Sequence[UnitResult]
    ) -> dict[int, Wanted]:
        """References by case that were put right after the trial had read them: its scores wait."""
        revisions = {int(r.case_key) for r in stored}
        now = CaseRevision.objects.filter(pk__in=revisions).only("reference", "forms")
        told = {r.pk: wanted_of(r) for r in now}
        corrected = {pk: want for pk, want in told.items() if want != self._references.get(pk)}
        if corrected:
            of = [pk for pk, r in zip(ids, stored, strict=True) if int(r.case_key) in corrected]
            ScoreRow.objects.filter(output__in=of, scorecard=trial.scorecard_id).update(rule=0)
            Trial.objects.filter(pk=trial.pk).update(figures_rule="")
        return corrected

    def _by_references_now(
        self, trial: Trial, outputs: Mapping[int, UnitResult], corrected: Mapping[int, Wanted]
    ) -> None:
        for revision, wanted in corrected.items():
            stored = False
            while not stored:
                anew = scored_anew(revision, wanted)
                with transaction.atomic():
                    stored = anew.store()
        of = {pk: r for pk, r in outputs.items() if int(r.case_key) in corrected}
        rows = ScoreRow.objects.filter(output__in=of, scorecard=trial.scorecard_id)
        with transaction.atomic():
            self._tell(trial, of, dict(rows.values_list("output_id", "total")), self._n_done, 0)

    def _told_row(self, pk: int, r: UnitResult, total: float | None) -> list[Any]:
        """[output, arm's position, case revision, repeat, outcome, total]"""
        return [pk, self._positions[r.arm_key], int(r.case_key), r.repeat, r.outcome, total]

    @staticmethod
    def _calls_before(judged: Sequence[UnitResult]) -> dict[int, int]:
        """How many calls each output that was only judged has already."""
        if not judged:
            return {}
        rows = Call.objects.filter(output__in=[int(r.had) for r in judged if r.had is not None])
        return dict(rows.values_list("output").annotate(n=Count("id")).values_list("output", "n"))

    @staticmethod
    def _add_cost(judged: Sequence[UnitResult]) -> None:
        """What judging anew cost is spent on the output, too."""
        for r in judged:
            Output.every.filter(pk=int(r.had or 0)).update(
                cost_new=Coalesce(F("cost_new"), 0) + r.newly_spent
            )

    @staticmethod
    def _make_room(judged: Sequence[UnitResult], scorecard: int) -> None:
        """What an output scored before its judges were asked is kept and counts no more."""
        if judged:
            ScoreRow.objects.filter(
                output__in=[int(r.had) for r in judged if r.had is not None], scorecard=scorecard
            ).update(replaced=True)

    def _output(self, r: UnitResult, then: str) -> dict[str, Any]:
        took = taken_by(r.calls)
        return {
            "arm_id": self._arms[r.arm_key],
            "revision_id": int(r.case_key),
            "repeat": r.repeat,
            "outcome": r.outcome,
            "outcome_rule": OUTCOME_RULE,
            "why": r.why,
            "suspected": r.suspected,
            "reasoning": r.reasoning,
            "failure": r.failure or "",
            "text": r.text,
            "turns": json.dumps([[t.role, t.text] for t in r.turns]),
            "finish_reason": (r.finish_reason or "")[:40],
            "tokens_in": took.tokens_in,
            "tokens_out": took.tokens_out,
            "cost_nominal": took.cost,
            "cost_new": took.newly,
            "latency_ms": took.latency_ms,
            "first_ms": took.first_ms,
            "generation": r.generation,
            "superseded_by": None,
            "created_at": then,
        }

    def _call(
        self, output: int, c: CallRecord, answered_at: str, before: int = 0
    ) -> dict[str, Any]:
        return {
            "output_id": output,
            "position": before + c.position,
            "part": c.part,
            "step": (c.step or "")[:80],
            "asked_model_id": None if c.callee is None else int(c.callee),
            "failure": c.failure,
            "continues": c.continues,
            "request": json.dumps(c.request),
            "answer_key": c.answer_key,
            **c.received(),
            "finish_reason": (c.finish_reason or "")[:40],
            "tool_calls": json.dumps([list(t) for t in c.tool_calls]),
            "model_identity": c.model_identity[:200],
            "attempts": c.attempts,
            "wasted_in": c.wasted_in or None,
            "wasted_out": c.wasted_out or None,
            "wasted_cost": c.wasted_cost or None,
            "reused_from_id": c.reused_from,
            "answered_at": answered_at,
        }

    @patient
    def totals(self, cases: Sequence[str]) -> Mapping[CellKey, float | None]:
        rows = Output.objects.filter(
            arm__trial_id=self._trial_id, revision__in=[int(c) for c in cases]
        ).values_list("id", "arm_id", "revision_id", "repeat")
        scored = ScoreRow.objects.filter(
            output__arm__trial_id=self._trial_id,
            output__revision__in=[int(c) for c in cases],
            scorecard_id=Trial.objects.values_list("scorecard_id", flat=True).get(
                pk=self._trial_id
            ),
        )
        known = dict(scored.values_list("output_id", "total"))
        return {(str(a), str(r), n): known.get(pk) for pk, a, r, n in rows}

    @patient
    def drop(self, left: Sequence[Left]) -> None:
        now = self._clock()
        with transaction.atomic():
            for gone in left:
                Arm.objects.filter(pk=self._arms[gone.arm]).update(
                    dropped={
                        "cases": gone.cases,
                        "against": self._arms[gone.against],
                        "p": gone.p,
                    }
                )
            trial = Trial.objects.get(pk=self._trial_id)
            trial.n_outputs = wanted_outputs(trial)
            trial.save(update_fields=["n_outputs"])
            emit(
                f"trial:{self._trial_id}",
                "dropped",
                {"arms": [self._positions[gone.arm] for gone in left], "of": trial.n_outputs},
                now=now,
            )

    @patient
    def asked(self) -> str | None:
        return Trial.objects.values_list("asked", flat=True).get(pk=self._trial_id) or None

    @patient
    def finish(self, state: str) -> str:
        self._score_the_rest(Trial.objects.select_related("scorecard").get(pk=self._trial_id))
        now = self._clock()
        with transaction.atomic():
            trial = Trial.objects.select_related("brief").get(pk=self._trial_id)
            outputs = Output.objects.filter(arm__trial=trial)
            # What was under way when an arm was dropped has come in since.
            trial.n_outputs = wanted_outputs(trial)
            if outputs.count() == trial.n_outputs:
                # A wish to stop that came after the last answer changes nothing.
                state = COMPLETE
            spent, simulated = trial.tell_spent()
            trial.message = ""
            if state == PAUSED and not trial.asked:
                trial.message = BUDGET_SPENT
            trial.state, trial.finished_at = next_state(trial.state, ENDED_BY[state]), now
            trial.asked = ""
            trial.save(
                update_fields=[
                    "state",
                    "finished_at",
                    "message",
                    "asked",
                    *TOLD_SPENT,
                    "n_outputs",
                ]
            )
            write_ledger(
                "trial.ended",
                trial,
                actor=WORKER,
                now=now,
                brief=trial.brief,
                cost_nano=spent,
                simulated_nano=simulated,
                facts={
                    "trial": trial.number,
                    "state": state,
                    "outputs": outputs.count(),
                    "failed": outputs.exclude(failure="").count(),
                },
            )
            learn_from(trial)
            emit(f"trial:{trial.pk}", state, {}, now=now)
            prune_events()
        # This thread ends with the trial; its connection must not stay open.
        connection.close()
        return state


def _arm_spec(a: Arm) -> ArmSpec:
    if a.model is None:
        return ArmSpec(str(a.pk), (), {}, "", None)
    return ArmSpec(
        str(a.pk),
        a.sends,
        a.settings,
        a.model.name,
        connection_spec(a.model.connection, a.model),
        a.price_in_nano,
        a.price_out_nano,
        tuple(a.model.unsupported),
        a.price_cached_nano,
        a.price_reasoning_nano,
        a.model.reasoning,
    )


def _case_spec(e: Entry) -> CaseSpec:
    return CaseSpec(
        str(e.revision_id),
        e.revision.inputs,
        e.revision.reference,
        stratum_of(e.revision.tags),
        e.revision.conversation and read_conversation(e.revision.conversation),
        tuple(e.revision.forms),
    )


def _score_row(pk: int, r: UnitResult, scorecard: int) -> dict[str, Any]:
    return {
        "output_id": pk,
        "scorecard_id": scorecard,
        "total": r.total,
        "total_why": r.total_why,
        "ungated": r.ungated,
        "packed": packed_text(r.scores.items()),
        "rule": SCORE_RULE,
        "replaced": False,
    }
