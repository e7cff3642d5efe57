"""What scores vary with: effects."""

from __future__ import annotations

import math
from pathlib import Path

import click

from nomikon.cli.tables import Sources, csv_rows
from nomikon.cli.telling import FILE, answer_with, ask_json, refuse
from nomikon.core.errors import DomainError
from nomikon.core.stats.effects import FactorRow, effects_of

COLUMNS = ("version", "model", "settings", "case", "repeat", "score")


@click.command("effects")
@click.argument("scores", type=FILE)
@click.option("--seed", type=int, default=0, show_default=True)
@click.option("--resamples", type=click.IntRange(100), default=10_000, show_default=True)
@ask_json
def effects_command(scores: Path, seed: int, resamples: int, as_json: bool) -> None:
    """How much of the spread of scores is due to what, among the arms tried."""
    rows, sources = [], Sources(scores)
    for line, row in csv_rows(scores, COLUMNS, ", ".join(COLUMNS)):
        rows.append(_row(scores, line, row))
        sources.take(line, row)
    if not rows:
        refuse(scores, "there are no scores")
    try:
        found = effects_of(rows, seed=seed, n_resamples=resamples, sources=sources.by_case)
    except DomainError as error:
        refuse(scores, error.message)
    document = {
        "shares": [s.__dict__ for s in found.shares],
        "effects": [e.__dict__ for e in found.effects],
        "n_cases": found.n_cases,
        "n_dropped": found.n_dropped,
        "repeats": found.repeats,
        "repeat_sd": found.repeat_sd,
        "negative": found.negative,
        "why_null": found.why_null,
    }
    lines = [f"{s.source}: {s.share:.0%} of the spread" for s in found.shares]
    lines += [
        f"{e.factor} {e.level}: {e.effect:+.3f} ({e.low:+.3f} to {e.high:+.3f})"
        for e in found.effects
    ]
    if found.negative:
        lines.append(f"estimated below 0 and counted as 0: {', '.join(found.negative)}")
    if found.why_null:
        lines.append(f"no shares: {found.why_null}")
    answer_with(document, as_json, ["Among the arms tried", *lines])


def _row(path: Path, line: int, row: dict[str, str]) -> FactorRow:
    try:
        repeat = int(row["repeat"].strip() or "0")
    except ValueError:
        refuse(path, f"repeat is {row['repeat']!r}; it must be a whole number", line)
    text = row["score"].strip()
    score: float | None = None
    if text:
        try:
            score = float(text)
        except ValueError:
            refuse(path, f"score is {text!r}; it must be a number or blank", line)
        if not (math.isfinite(score) and 0 <= score <= 1):
            refuse(path, f"score is {text}; scores lie between 0 and 1, a blank is missing", line)
    return FactorRow(row["version"], row["model"], row["settings"], row["case"], repeat, score)
