"""`nomikon run`: a trial file, headless, with exit status and JUnit XML for continuous integration."""

from __future__ import annotations

import asyncio
import os
import statistics
import sys
from collections.abc import AsyncIterator, Mapping
from pathlib import Path
from typing import Any

import click

from nomikon.cli.common import AMISS, FILE, Unusable, answer_with, ask_json
from nomikon.cli.headless import FileStore, load_trial
from nomikon.cli.junit import in_words, junit
from nomikon.core.errors import DomainError
from nomikon.core.files import TrialFile
from nomikon.core.measures import read_scorecard
from nomikon.core.stats import MISSED, UNSURE, ArmSummary, ScoreRow, compare, threshold_state
from nomikon.core.trials import COMPLETE, CUT, DECLINED
from nomikon.core.trials.estimates import NANO
from nomikon.engine.cluster import ClusterExecutor
from nomikon.engine.coordinator import run_trial
from nomikon.engine.executors import Executor, LocalExecutor
from nomikon.engine.units import TrialSpec, Unit, UnitResult
from nomikon.models import ModelClient


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
    means = {n: _means(spec, store.results, n) for n in _wanted(plan)}
    arms = [_arm_row(spec, a.key, store.results, means["total"][a.key]) for a in spec.arms]
    thresholds = [row for t in plan.thresholds for row in _held(spec, t, means[t["measure"]])]
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
        "thresholds": thresholds,
    }
    if junit_file is not None:
        try:
            junit_file.write_text(junit(spec.key, arms, thresholds, strict), encoding="utf-8")
        except OSError as error:
            raise Unusable(f"{junit_file}: cannot be written: {error.strerror}") from error
    answer_with(document, as_json, [*(_line(a) for a in arms), *(in_words(t) for t in thresholds)])
    missed = [t for t in thresholds if t["state"] == MISSED or (strict and t["state"] == UNSURE)]
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


def _wanted(plan: TrialFile) -> list[str]:
    return list(dict.fromkeys(["total", *(t["measure"] for t in plan.thresholds)]))


def _means(spec: TrialSpec, results: list[UnitResult], measure: str) -> dict[str, ArmSummary]:
    """Each arm's mean over its cases by one measure, with interval; failures are missing."""
    rows = [
        ScoreRow(r.arm_key, r.case_key, r.repeat, _score_of(r, measure))
        for r in results
        if r.case_key not in spec.examples
    ]
    if not rows:
        return {a.key: _nothing(a.key) for a in spec.arms}
    margin = read_scorecard(spec.scorecard).margin
    found = {a.arm: a for a in compare(rows, margin=margin, with_pairs=False).arms}
    return {a.key: found.get(a.key, _nothing(a.key)) for a in spec.arms}


def _nothing(arm: str) -> ArmSummary:
    return ArmSummary(arm, 0, 0, None, None, None, None, None, "no output was had")


def _score_of(r: UnitResult, measure: str) -> float | None:
    if r.failure is not None:
        return None
    return r.total if measure == "total" else r.scores[measure][0]


def _arm_row(
    spec: TrialSpec, arm: str, results: list[UnitResult], mean: ArmSummary
) -> dict[str, Any]:
    mine = [r for r in results if r.arm_key == arm]
    calls = [c for r in mine for c in r.calls if c.tokens_out is not None]
    answered = [r for r in mine if r.failure is None]
    priced = next(a.price_in_nano for a in spec.arms if a.key == arm) is not None
    row: dict[str, Any] = {
        "arm": arm,
        "n": len(mine),
        "n_missing": sum(1 for r in mine if _score_of(r, "total") is None),
        "mean": mean.mean,
        "low": mean.low,
        "high": mean.high,
        "failed": len(mine) - len(answered),
        "declined": sum(1 for r in mine if r.outcome == DECLINED),
        "cut": sum(1 for r in mine if r.outcome == CUT),
        "tokens_in": sum(c.tokens_in or 0 for c in calls),
        "tokens_out": sum(c.tokens_out or 0 for c in calls),
        "cost": sum(c.cost or 0 for c in calls) / NANO if priced else None,
        "latency_ms": statistics.median(sum(c.latency_ms for c in r.calls) for r in answered)
        if answered
        else None,
    }
    reasons = [
        mean.why_null if mean.mean is None else None,
        None if priced else "cost: the model has no price",
        None if answered else "latency_ms: no call was answered",
    ]
    row["why_null"] = "; ".join(r for r in reasons if r) or None
    failures: dict[str, int] = {}
    for r in mine:
        if r.failure is not None:
            failures[r.failure] = failures.get(r.failure, 0) + 1
    row["failures"] = failures
    return row


def _held(
    spec: TrialSpec, threshold: Mapping[str, Any], means: Mapping[str, ArmSummary]
) -> list[dict[str, Any]]:
    """A threshold, arm by arm."""
    limits = {k: threshold[k] for k in ("at_least", "at_most") if k in threshold}
    ((rule, needed),) = limits.items()
    rows = []
    for arm in spec.arms:
        if threshold.get("arm") in (None, arm.key):
            mean = means[arm.key]
            rows.append(
                {
                    "measure": threshold["measure"],
                    "arm": arm.key,
                    "rule": rule.replace("_", " "),
                    "needed": needed,
                    "reached": mean.mean,
                    "low": mean.low,
                    "high": mean.high,
                    "state": threshold_state(mean.low, mean.high, **limits),
                    "why_null": mean.why_null if mean.mean is None else None,
                }
            )
    return rows


def _line(arm: Mapping[str, Any]) -> str:
    if arm["mean"] is None:
        return f"{arm['arm']}: no score, {arm['failed']} of {arm['n']} failed"
    cost = "" if arm["cost"] is None else f", cost {arm['cost']:.6f}"
    return (
        f"{arm['arm']}: {arm['mean']:.3f} ({arm['low']:.3f} to {arm['high']:.3f}), {arm['n']} "
        f"outputs, {arm['failed']} failed{cost}"
    )
