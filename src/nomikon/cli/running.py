"""`nomikon run`: a trial file, headless, with exit status and JUnit XML for continuous integration."""

from __future__ import annotations

import asyncio
import os
import sys
import time
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import click

from nomikon.cli.headless import FileStore, load_trial
from nomikon.cli.junit import FailingCase, in_words, junit
from nomikon.cli.telling import AMISS, FILE, Unusable, answer_with, ask_json
from nomikon.core.errors import DomainError
from nomikon.core.measures import TOTAL
from nomikon.core.results import ResultTable, arm_figures, counts_of, thresholds
from nomikon.core.stats import MISSED, UNSURE
from nomikon.core.trials import COMPLETE
from nomikon.core.trials.estimates import NANO
from nomikon.engine.cluster import ClusterExecutor
from nomikon.engine.coordinator import run_trial
from nomikon.engine.executors import Executor, LocalExecutor
from nomikon.engine.results import results_table, taken_by
from nomikon.engine.units import ArmSpec, TrialSpec, Unit, UnitResult
from nomikon.models.client import ModelClient


@click.command("run")
@click.argument("file", type=FILE)
@click.option("--junit", "junit_file", type=FILE, help="write thresholds as JUnit XML")
@click.option("--outputs", type=FILE, help="JSON Lines: every output as it comes, reused next time")
@click.option("--cluster", help="run on the Dask cluster at this address, such as tcp://host:8786")
@click.option("--strict", is_flag=True, help="an unsure threshold counts as missed")
@ask_json
@click.pass_context
def run_command(
    context: click.Context,
    file: Path,
    junit_file: Path | None,
    outputs: Path | None,
    cluster: str | None,
    strict: bool,
    as_json: bool,
) -> None:
    """Run a trial file against its models and hold it to its thresholds."""
    plan, spec, figures = load_trial(file, os.environ)
    if not as_json:
        cost = "unpriced" if figures.cost is None else f"about {figures.cost / NANO:.4f}"
        click.echo(f"{figures.calls} calls, {cost}", err=True)
    store = FileStore(spec, outputs)
    began = time.monotonic()
    try:
        asyncio.run(run_store(store, cluster or os.environ.get("NOMIKON_CLUSTER"), figures.outputs))
    except DomainError as error:
        raise Unusable(error.message) from error
    except OSError as error:
        raise Unusable(f"{error.filename or outputs}: {error.strerror}") from error
    table = results_table(spec, store.results, store.state == COMPLETE)
    arms = [_arm_row(table, a) for a in spec.arms]
    held = [row for t in plan.thresholds for row in _held(table, t)]
    document = {
        "trial": {
            "name": spec.key,
            "state": store.state,
            "outputs": len(store.results),
            "of": figures.outputs,
            "cases": len(spec.cases),
            "examples": len(spec.examples),
            "repeats": spec.repeats,
            "spent": sum(r.newly_spent for r in store.results) / NANO,
        },
        "arms": arms,
        "thresholds": held,
    }
    if junit_file is not None:
        try:
            junit_file.write_text(
                _junit(store, spec, arms, held, strict, time.monotonic() - began), encoding="utf-8"
            )
        except OSError as error:
            raise Unusable(f"{junit_file}: cannot be written: {error.strerror}") from error
    answer_with(document, as_json, [*(_line(a) for a in arms), *(in_words(t) for t in held)])
    missed = [t for t in held if t["state"] == MISSED or (strict and t["state"] == UNSURE)]
    # A trial without answers has met nothing, whatever its thresholds say.
    unanswered = [a for a in arms if a["mean"] is None]
    if missed or unanswered or store.state != COMPLETE:
        context.exit(AMISS)


async def run_store(store: FileStore, cluster: str | None, outputs: int) -> None:
    """Run a trial file's outputs, here or on the cluster at this address."""
    async with ModelClient(keys=os.environ) as client:
        executor: ClusterExecutor | LocalExecutor = (
            ClusterExecutor(cluster) if cluster else LocalExecutor(client)
        )
        async with executor:
            await run_trial(store, _Watched(executor, outputs))


def _junit(
    store: FileStore,
    spec: TrialSpec,
    arms: Sequence[dict[str, Any]],
    held: Sequence[dict[str, Any]],
    strict: bool,
    seconds: float,
) -> str:
    took: dict[str, float] = {}
    for r in store.results:
        took[r.arm_key] = took.get(r.arm_key, 0.0) + (taken_by(r.calls).latency_ms or 0.0) / 1000
    inputs = {c.key: c.inputs for c in spec.cases}

    def failing(arm: str, measure: str) -> list[FailingCase]:
        """The answers of an arm that score below 1, the lowest first; without a score before them."""
        found = []
        for r in store.results:
            if r.arm_key != arm:
                continue
            own = r.scores.get(measure)
            score = r.total if measure == TOTAL else own.value if own else None
            why = r.total_why if measure == TOTAL else own.why if own else ""
            if score is None or score < 1:
                why = r.why if r.failure else why or _whys(r)
                found.append(
                    FailingCase(r.case_key, r.repeat, inputs[r.case_key], r.text, score, why)
                )
        return sorted(found, key=lambda c: -1.0 if c.score is None else c.score)

    return junit(spec.key, arms, held, strict, seconds=seconds, arm_seconds=took, failing=failing)


def _whys(result: UnitResult) -> str:
    """Why the measures give less than 1, where the total does not say it."""
    low = [(n, s) for n, s in result.scores.items() if s.value is None or s.value < 1]
    return "; ".join(f"{name}: {score.why}" for name, score in low)


class Progress:
    """How far a run is, on standard error: a bar at a terminal, a line now and then elsewhere.

    clock: seconds that only grow.
    """

    EVERY_S = 5.0
    WIDTH = 30

    def __init__(self, of: int, *, terminal: bool, clock: Callable[[], float]) -> None:
        self._of, self._terminal, self._clock = of, terminal, clock
        self._began = self._told = clock()
        self._shown = -1

    def line(self, done: int) -> str | None:
        """What is to be written now that so many are done; None for nothing."""
        now = self._clock()
        if self._terminal:
            cells = done * self.WIDTH // max(1, self._of)
            if cells == self._shown and done < self._of and now - self._told < 1:
                return None
            self._shown, self._told = cells, now
            bar = "=" * cells + " " * (self.WIDTH - cells)
            return f"\r[{bar}] {done} of {self._of}{self._left(done, now)}"
        if done < self._of and now - self._told < self.EVERY_S:
            return None
        self._told = now
        return f"{done} of {self._of} answers{self._left(done, now)}"

    def _left(self, done: int, now: float) -> str:
        if not 0 < done < self._of:
            return ""
        seconds = (now - self._began) / done * (self._of - done)
        return f", about {round(seconds)} s left"


class _Watched:
    """An executor that tells how far it is."""

    def __init__(self, inner: Executor, outputs: int) -> None:
        self._inner = inner
        self._outputs = outputs

    async def run(
        self, units: AsyncIterator[Unit], scorecard: Mapping[str, Any], concurrency: int
    ) -> AsyncIterator[UnitResult]:
        terminal = sys.stderr.isatty()
        progress = Progress(self._outputs, terminal=terminal, clock=time.monotonic)
        done = 0
        async for result in self._inner.run(units, scorecard, concurrency):
            done += 1
            if (told := progress.line(done)) is not None:
                click.echo(told, err=True, nl=not terminal or done == self._outputs)
            yield result


def _arm_row(table: ResultTable, arm: ArmSpec) -> dict[str, Any]:
    mean, counts = arm_figures(table)[arm.key], counts_of(table)[arm.key]
    priced = arm.price_in_nano is not None
    reasons = [
        mean.why_null if mean.mean is None else None,
        None if priced else "cost: the model has no price",
        None if counts.latency_ms is not None else "latency_ms: no call was answered",
    ]
    return {
        "arm": arm.key,
        "n": counts.n,
        "n_missing": counts.n_missing,
        "mean": mean.mean,
        "low": mean.low,
        "high": mean.high,
        "failed": counts.failed,
        "declined": counts.declined,
        "cut": counts.cut,
        "tokens_in": counts.tokens_in,
        "tokens_out": counts.tokens_out,
        "cost": (counts.cost or 0) / NANO if priced else None,
        "latency_ms": counts.latency_ms,
        "why_null": "; ".join(r for r in reasons if r) or None,
        "failures": counts.failures,
    }


def _held(table: ResultTable, threshold: Mapping[str, Any]) -> list[dict[str, Any]]:
    """A threshold, arm by arm."""
    limits = {k: threshold[k] for k in ("at_least", "at_most") if k in threshold}
    return [
        {
            "measure": row.measure,
            "arm": row.arm,
            "rule": row.rule,
            "needed": row.needed,
            "reached": row.mean,
            "low": row.low,
            "high": row.high,
            "state": row.state,
            "why_null": row.why_null,
        }
        for row in thresholds(table, threshold["measure"], limits, threshold.get("arm"))
    ]


def _line(arm: Mapping[str, Any]) -> str:
    if arm["mean"] is None:
        return f"{arm['arm']}: no score, {arm['failed']} of {arm['n']} failed"
    cost = "" if arm["cost"] is None else f", cost {arm['cost']:.6f}"
    return (
        f"{arm['arm']}: {arm['mean']:.3f} ({arm['low']:.3f} to {arm['high']:.3f}), {arm['n']} "
        f"outputs, {arm['failed']} failed{cost}"
    )
