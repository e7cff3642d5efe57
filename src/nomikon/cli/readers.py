"""What readers say: strengths from pairs, and how far readers agree."""

from __future__ import annotations

from pathlib import Path

import click

from nomikon.cli.tables import csv_rows
from nomikon.cli.telling import FILE, Unusable, answer_with, ask_json, refuse
from nomikon.core.errors import DomainError
from nomikon.core.stats.agreement import SCALES, Rating, agreement
from nomikon.core.stats.pairs import Pair, strengths


def _check_seed(seed: int) -> None:
    if seed < 0:
        raise Unusable(f"--seed is {seed}; it must be 0 or more")


@click.command("pairs")
@click.argument("pairs", type=FILE)
@click.option("--seed", type=int, default=0)
@ask_json
def pairs_command(pairs: Path, seed: int, as_json: bool) -> None:
    """Strengths from blind pairs (columns left, right, outcome, and case where known)."""
    _check_seed(seed)
    rows = []
    for line, row in csv_rows(pairs, ("left", "right", "outcome"), "left, right, outcome, case"):
        outcome = row["outcome"].strip().lower()
        if outcome not in ("left", "right", "tie"):
            refuse(pairs, f"outcome is {row['outcome']!r}; allowed are left, right, tie", line)
        if row["left"] == row["right"]:
            refuse(pairs, f"{row['left']} is compared with itself", line)
        rows.append(Pair(row["left"], row["right"], outcome, row.get("case", "").strip()))
    try:
        found = strengths(rows, seed=seed)
    except DomainError as error:
        refuse(pairs, error.message)
    document = {
        "items": [
            {"item": s.item, "strength": s.strength, "low": s.low, "high": s.high}
            for s in found.items
        ],
        "side_bias": found.side_bias,
        "ridge": found.ridge,
        "why_null": "side_bias: every choice fell on one side" if found.side_bias is None else None,
    }
    told = [
        f"{s.item}: {s.strength:+.3f}"
        + ("" if s.low is None or s.high is None else f" ({s.low:+.3f} to {s.high:+.3f})")
        + f", {s.wins} won, {s.losses} lost, {s.ties} alike"
        for s in sorted(found.items, key=lambda s: -s.strength)
    ]
    side = "no finite value" if found.side_bias is None else f"{found.side_bias:+.3f}"
    answer_with(
        document,
        as_json,
        [*told, f"side: {side} log-odds to the left", *([found.why] if found.why else [])],
    )


@click.command("agree")
@click.argument("ratings", type=FILE)
@click.option("--scale", type=click.Choice(SCALES), required=True)
@click.option("--seed", type=int, default=0)
@ask_json
def agree_command(ratings: Path, scale: str, seed: int, as_json: bool) -> None:
    """How far readers agree (columns unit, reader, value; a blank value is no rating)."""
    _check_seed(seed)
    rows = [
        Rating(row["unit"], row["reader"], row["value"].strip())
        for _, row in csv_rows(ratings, ("unit", "reader", "value"), "unit, reader, value")
        if row["value"].strip()
    ]
    try:
        found = agreement(rows, scale, seed=seed)
    except DomainError as error:
        refuse(ratings, error.message)
    document = {
        "alpha": found.alpha,
        "low": found.low,
        "high": found.high,
        "kappa": [{"a": k.a, "b": k.b, "kappa": k.kappa} for k in found.kappa],
        "why_null": found.why_null,
    }
    alpha = (
        f"alpha: none, {found.why_null}"
        if found.alpha is None
        else f"alpha {found.alpha:.3f} ({found.low:.3f} to {found.high:.3f}), {found.n_units} units"
    )
    answer_with(
        document,
        as_json,
        [
            alpha,
            *(
                f"kappa of {k.a} and {k.b}: "
                + ("none" if k.kappa is None else f"{k.kappa:.3f} on {k.n} units")
                for k in found.kappa
            ),
        ],
    )
