"""The engine's store, kept in the database. Only the worker's coordinator writes here."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime

from django.db import connection, transaction
from django.db.models import Sum

from nomikon.core.prompts import check_messages
from nomikon.engine.units import ArmSpec, CaseSpec, CellKey, StoredAnswer, TrialSpec, UnitResult
from nomikon.server.connections.spec import connection_spec
from nomikon.server.ledger.write import emit, prune_events, write_ledger
from nomikon.server.trials.answers import stored_answers
from nomikon.server.trials.models import COMPLETE, PAUSED, RUNNING, Call, Output, ScoreRow, Trial

WORKER = "worker"
BUDGET_SPENT = "the budget is spent"


class DatabaseStore:
    """Implements nomikon.engine.store.TrialStore for one trial."""

    def __init__(self, trial_id: int, *, clock: Callable[[], datetime]) -> None:
        self._trial_id = trial_id
        self._clock = clock
        self._arms: dict[str, int] = {}
        self._positions: dict[str, int] = {}
        self._n_done = 0

    def load(self) -> TrialSpec:
        trial = Trial.objects.select_related("scorecard", "dataset_version").get(pk=self._trial_id)
        arms = list(trial.arms.select_related("version", "model__connection"))
        self._arms = {str(a.pk): a.pk for a in arms}
        self._positions = {str(a.pk): a.position for a in arms}
        entries = trial.dataset_version.entries.filter(split=trial.split).select_related("revision")
        spec = TrialSpec(
            key=str(trial.pk),
            arms=tuple(
                ArmSpec(
                    str(a.pk),
                    check_messages(a.version.messages),
                    a.settings,
                    a.model.name,
                    connection_spec(a.model.connection),
                    a.price_in_nano,
                    a.price_out_nano,
                    tuple(a.model.unsupported),
                )
                for a in arms
            ),
            cases=tuple(
                CaseSpec(
                    str(e.revision_id),
                    e.revision.inputs,
                    e.revision.reference,
                    _stratum(e.revision.tags),
                )
                for e in entries.order_by("position")
            ),
            repeats=trial.repeats,
            seed=trial.seed,
            scorecard=trial.scorecard.document,
            # Each connection has its own limit; the trial may use all of them at once.
            concurrency=sum(
                {a.model.connection_id: a.model.connection.concurrency for a in arms}.values()
            ),
            generation=trial.generation,
            budget=trial.budget_nano,
            spent=Output.objects.filter(arm__trial=trial).aggregate(n=Sum("cost_new"))["n"] or 0,
        )
        with transaction.atomic():
            now = self._clock()
            fresh = trial.started_at is None
            Trial.objects.filter(pk=trial.pk).update(
                state=RUNNING, started_at=trial.started_at or now
            )
            emit(f"trial:{trial.pk}", "running", {"fresh": fresh}, now=now)
        return spec

    def done(self) -> set[CellKey]:
        rows = Output.objects.filter(arm__trial_id=self._trial_id).values_list(
            "arm_id", "revision_id", "repeat"
        )
        keys = {(str(a), str(r), n) for a, r, n in rows.iterator()}
        self._n_done = len(keys)
        return keys

    def known(self, keys: Sequence[str]) -> dict[str, StoredAnswer]:
        return stored_answers(keys)

    def save(self, results: Sequence[UnitResult]) -> None:
        now = self._clock()
        trial = Trial.objects.only("id", "scorecard_id", "n_outputs").get(pk=self._trial_id)
        asked = dict(
            Call.objects.filter(
                pk__in={c.reused_from for r in results for c in r.calls if c.reused_from}
            ).values_list("pk", "answered_at")
        )
        with transaction.atomic():
            outputs = Output.objects.bulk_create([self._output(r, now) for r in results])
            Call.objects.bulk_create(
                [
                    Call(
                        output=output,
                        position=c.position,
                        step=c.step or "",
                        request=dict(c.request),
                        answer_key=c.answer_key,
                        text=c.text,
                        finish_reason=c.finish_reason or "",
                        tokens_in=c.tokens_in,
                        tokens_out=c.tokens_out,
                        tokens_estimated=c.tokens_estimated,
                        cost=c.cost,
                        latency_ms=c.latency_ms,
                        first_ms=c.first_ms,
                        model_identity=c.model_identity[:200],
                        attempts=c.attempts,
                        reused_from_id=c.reused_from,
                        answered_at=asked.get(c.reused_from, now),
                    )
                    for output, r in zip(outputs, results, strict=True)
                    for c in r.calls
                ]
            )
            ScoreRow.objects.bulk_create(
                [
                    ScoreRow(
                        output=output,
                        scorecard_id=trial.scorecard_id,
                        total=r.total,
                        total_why=r.total_why,
                        ungated=r.ungated,
                        packed={name: [value, why] for name, (value, why) in r.scores.items()},
                    )
                    for output, r in zip(outputs, results, strict=True)
                    if r.failure is None
                ]
            )
            self._n_done += len(results)
            emit(
                f"trial:{self._trial_id}",
                "outputs",
                {
                    "done": self._n_done,
                    "of": trial.n_outputs,
                    # [output, arm's position, case revision, repeat, outcome, total]
                    "rows": [
                        [
                            o.pk,
                            self._positions[r.arm_key],
                            int(r.case_key),
                            r.repeat,
                            r.outcome,
                            r.total,
                        ]
                        for o, r in zip(outputs, results, strict=True)
                    ],
                },
                now=now,
            )

    def _output(self, r: UnitResult, now: datetime) -> Output:
        answered = [c for c in r.calls if c.tokens_out is not None]
        costs = [c.cost for c in answered]
        # A failed call has no price: nothing was answered that a server could charge by.
        priced = bool(costs) and all(c is not None for c in costs)
        cost = sum(c or 0 for c in costs) if priced else None
        firsts = [c.first_ms for c in answered if c.first_ms is not None]
        return Output(
            arm_id=self._arms[r.arm_key],
            revision_id=int(r.case_key),
            repeat=r.repeat,
            outcome=r.outcome,
            why=r.why,
            failure=r.failure or "",
            text=r.text,
            finish_reason=r.finish_reason or "",
            tokens_in=sum(c.tokens_in or 0 for c in answered) if answered else None,
            tokens_out=sum(c.tokens_out or 0 for c in answered) if answered else None,
            cost_nominal=cost,
            # What came from the store was paid for before.
            cost_new=None
            if cost is None
            else sum(c.cost or 0 for c in answered if c.reused_from is None),
            latency_ms=sum(c.latency_ms for c in answered) if answered else None,
            first_ms=firsts[0] if firsts else None,
            created_at=now,
        )

    def cancelled(self) -> bool:
        return Trial.objects.values_list("cancel_requested", flat=True).get(pk=self._trial_id)

    def finish(self, state: str) -> None:
        now = self._clock()
        with transaction.atomic():
            trial = Trial.objects.select_related("brief").get(pk=self._trial_id)
            outputs = Output.objects.filter(arm__trial=trial)
            if outputs.count() == trial.n_outputs:
                # A wish to stop that came after the last answer changes nothing.
                state = COMPLETE
            trial.state, trial.finished_at = state, now
            trial.message = BUDGET_SPENT if state == PAUSED else ""
            trial.save(update_fields=["state", "finished_at", "message"])
            spent = outputs.aggregate(spent=Sum("cost_new"))["spent"]
            write_ledger(
                "trial.ended",
                trial,
                actor=WORKER,
                now=now,
                brief=trial.brief,
                cost_nano=spent,
                facts={
                    "trial": trial.number,
                    "state": state,
                    "outputs": outputs.count(),
                    "failed": outputs.exclude(failure="").count(),
                },
            )
            emit(f"trial:{trial.pk}", state, {}, now=now)
            prune_events()
        # This thread ends with the trial; its connection must not stay open.
        connection.close()


def _stratum(tags: Sequence[str]) -> str:
    """Cases are stratified by their first tag, in the order in which tags are written."""
    return tags[0] if tags else ""
