"""`nomikon weigh`: what each clause of a prompt is worth, by leaving some out by design."""

from __future__ import annotations

import asyncio
import os
import random
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from nomikon.cli.headless import FileStore, checked, load_trial
from nomikon.cli.running import run_store
from nomikon.cli.telling import AMISS, FILE, Unusable, answer_with, ask_json, refuse
from nomikon.core.errors import DomainError
from nomikon.core.measures import read_scorecard
from nomikon.core.prompts import Clause, clauses_of
from nomikon.core.prompts.leaving_out import Leaving, leave_out, what_can_go
from nomikon.core.results import weights as clause_values
from nomikon.core.stats.clause_weights import ClauseWeights
from nomikon.core.stats.screening import screening_rows
from nomikon.core.trials import COMPLETE
from nomikon.core.trials.estimates import NANO, estimate_tokens
from nomikon.engine.results import results_table


@click.command("weigh")
@click.argument("file", type=FILE)
@click.option("--cases", type=click.IntRange(2), help="so many of the cases, drawn at random")
@click.option("--keep", type=int, multiple=True, help="a clause that is not left out, by number")
@click.option("--outputs", type=FILE, help="JSON Lines: every output as it comes, reused next time")
@ask_json
@click.pass_context
def weigh_command(
    context: click.Context,
    file: Path,
    cases: int | None,
    keep: tuple[int, ...],
    outputs: Path | None,
    as_json: bool,
) -> None:
    """Leave clauses of a trial file's one prompt out by turns, and say what each is worth."""
    plan, spec, _ = load_trial(file, os.environ)
    if len(spec.arms) != 1:
        refuse(
            file,
            f"a weighing is of one prompt on one model with one settings; this file has "
            f"{len(spec.arms)} arms",
        )
    arm = spec.arms[0]
    try:
        leaving = what_can_go(arm.messages, keep)
    except DomainError as error:
        raise Unusable(f"{file}: {error.message}") from error
    if not leaving.free:
        refuse(file, "the prompt has no clause that could be left out")
    rows = screening_rows(len(leaving.free), seed=spec.seed)
    out = [sorted(n for u in row for n in leaving.free[u]) for row in rows]
    arms = tuple(
        replace(arm, key=_name(numbers), messages=leave_out(arm.messages, numbers))
        for numbers in out
    )
    chosen = spec.cases
    if cases is not None and cases < len(chosen):
        kept = set(random.Random(spec.seed).sample(range(len(chosen)), cases))
        chosen = tuple(c for i, c in enumerate(chosen) if i in kept)
    spec = replace(spec, arms=arms, cases=chosen)
    figures = checked(file, spec, plan.models)
    if not as_json:
        cost = "unpriced" if figures.cost is None else f"about {figures.cost / NANO:.4f}"
        click.echo(f"{len(rows)} texts, {figures.calls} calls, {cost}", err=True)
    store = FileStore(spec, outputs)
    try:
        asyncio.run(run_store(store, os.environ.get("NOMIKON_CLUSTER"), figures.outputs))
    except DomainError as error:
        raise Unusable(error.message) from error
    except OSError as error:
        raise Unusable(f"{error.filename or outputs}: {error.strerror}") from error
    margin = read_scorecard(spec.scorecard).margin
    table = results_table(spec, store.results, store.state == COMPLETE)
    found = clause_values(table, tuple(rows), len(leaving.free), spec.seed)
    clauses = clauses_of(arm.messages)
    weighed = _weighed(found, leaving.free, clauses)
    told = {"trial": spec.key, "state": store.state, "rows": len(rows), "margin": margin}
    document = {**told, **_document(found, weighed, leaving)}
    answer_with(document, as_json, [_line(c) for c in weighed])
    if store.state != COMPLETE or found.why_null is not None:
        context.exit(AMISS)


def _name(numbers: Sequence[int]) -> str:
    return "without " + ", ".join(f"§{n}" for n in numbers) if numbers else "full"


def _weighed(
    found: ClauseWeights, free: Sequence[tuple[int, ...]], clauses: Sequence[Clause]
) -> list[dict[str, Any]]:
    rows = []
    weights = {w.unit: w for w in found.weights}
    for unit, numbers in enumerate(free):
        texts = [clauses[n - 1].text for n in numbers]
        w = weights.get(unit)
        rows.append(
            {
                "clauses": list(numbers),
                "text": "\n".join(texts),
                "tokens": sum(estimate_tokens(t) for t in texts),
                "weight": w and w.weight,
                "low": w and w.low,
                "high": w and w.high,
                "p_holm": w and w.p_holm,
                "verdict": w and w.verdict,
            }
        )
    return rows


def _line(row: dict[str, Any]) -> str:
    names = ", ".join(f"§{n}" for n in row["clauses"])
    if row["weight"] is None:
        return f"{names}: no weight"
    return (
        f"{names}: {row['verdict']}, {row['weight']:+.3f} ({row['low']:+.3f} to "
        f"{row['high']:+.3f}), {row['tokens']} tokens: {row['text'][:60]}"
    )


def _document(
    found: ClauseWeights, weighed: list[dict[str, Any]], leaving: Leaving
) -> dict[str, Any]:
    return {
        "full": found.full,
        "n_cases": found.n_cases,
        "n_dropped": found.n_dropped,
        "misfit": found.misfit,
        "clauses": weighed,
        "locked": [{"clause": n, "why": why} for n, why in leaving.locked.items()],
        "pairs": [
            {
                **{k: v for k, v in p.__dict__.items() if k != "candidates"},
                "candidates": [[leaving.free[a], leaving.free[b]] for a, b in p.candidates],
            }
            for p in found.pairs
        ],
        "why_null": found.why_null,
    }
