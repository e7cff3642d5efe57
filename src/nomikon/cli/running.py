"""`nomikon run`: a trial file, headless, with exit status and JUnit XML for continuous integration."""

from __future__ import annotations

import asyncio
import os
import sys
from collections.abc import AsyncIterator, Mapping
from pathlib import Path
from typing import Any

import click

from nomikon.cli.headless import FileStore, load_trial
from nomikon.cli.junit import in_words, junit
from nomikon.cli.telling import AMISS, FILE, Unusable, answer_with, ask_json
from nomikon.core.errors import DomainError
from nomikon.core.results import ResultTable, arm_figures, counts_of, thresholds
from nomikon.core.stats import MISSED, UNSURE
from nomikon.core.trials import COMPLETE
from nomikon.core.trials.estimates import NANO
from nomikon.engine.cluster import ClusterExecutor
from nomikon.engine.coordinator import run_trial
from nomikon.engine.executors import Executor, LocalExecutor
from nomikon.engine.results import results_table
from nomikon.engine.units import ArmSpec, Unit, UnitResult
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
            junit_file.write_text(junit(spec.key, arms, held, strict), encoding="utf-8")
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


class _Watched:
    """An executor that tells a person at a terminal how far it is."""

    def __init__(self, inner: Executor, outputs: int) -> None:
        self._inner = inner
        self._outputs = outputs

    async def run(
        self, units: AsyncIterator[Unit], scorecard: Mapping[str, Any], concurrency: int
    ) -> AsyncIterator[UnitResult]:
        shown = sys.stderr.isatty()
        done = 0
        async for result in self._inner.run(units, scorecard, concurrency):
            done += 1
            if shown and (done % 10 == 0 or done == self._outputs):
                click.echo(f"\r{done} of {self._outputs}", err=True, nl=done == self._outputs)
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
