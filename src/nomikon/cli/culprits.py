"""Which change did it: culprits."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from pathlib import Path

import click

from nomikon.cli.tables import csv_rows
from nomikon.cli.telling import FILE, answer_with, ask_json, read_prompt, refuse
from nomikon.core.errors import DomainError
from nomikon.core.prompts import amendments_between
from nomikon.core.stats.culprits import EXACT, shares_of

COLUMNS = ("subset", "case", "repeat", "score")


@click.command("culprits")
@click.argument("a", type=FILE)
@click.argument("b", type=FILE)
@click.option("--scores", type=FILE, required=True, help="columns subset, case, repeat, score")
@click.option("--seed", type=int, default=0, show_default=True)
@ask_json
def culprits_command(a: Path, b: Path, scores: Path, seed: int, as_json: bool) -> None:
    """What each amendment between two prompts adds to the score, from texts with some of them taken."""
    old, new = read_prompt(a), read_prompt(b)
    revision = amendments_between(old.messages, new.messages, old.settings, new.settings)
    requires = {x.id: x.requires for x in revision.amendments}
    try:
        found = shares_of(requires, _scores(scores, requires), seed=seed)
    except DomainError as error:
        refuse(scores, error.message)
    document = {
        "shares": [
            {"amendment": s.amendment, "share": s.share, "low": s.low, "high": s.high}
            for s in found.shares
        ],
        "difference": found.difference,
        "how": found.how,
        "n_cases": found.n_cases,
        "n_dropped": found.n_dropped,
    }
    head = f"Of a difference of {found.difference:+.3f} on {found.n_cases} cases" + (
        "" if found.how == EXACT else ", each added alone and taken back alone"
    )
    ranked = sorted(found.shares, key=lambda s: s.share)
    lines = [f"{s.amendment}: {s.share:+.3f} ({s.low:+.3f} to {s.high:+.3f})" for s in ranked]
    answer_with(document, as_json, [head, *lines])


def _scores(
    path: Path, requires: Mapping[str, Sequence[str]]
) -> dict[frozenset[str], dict[str, float]]:
    """Means over repeats by subset and case; a blank score is missing."""
    seen: dict[frozenset[str], dict[str, list[float]]] = defaultdict(lambda: defaultdict(list))
    for line, row in csv_rows(path, COLUMNS, ", ".join(COLUMNS)):
        taken = frozenset(x.strip() for x in row["subset"].split("+") if x.strip())
        if unknown := sorted(taken - set(requires)):
            there = ", ".join(requires) or "none"
            refuse(
                path, f"there is no amendment {unknown[0]}; between the two there are {there}", line
            )
        text = row["score"].strip()
        if not text:
            continue
        try:
            score = float(text)
        except ValueError:
            refuse(path, f"score is {text!r}; it must be a number or blank", line)
        if not (math.isfinite(score) and 0 <= score <= 1):
            refuse(path, f"score is {text}; scores lie between 0 and 1, a blank is missing", line)
        seen[taken][row["case"]].append(score)
    return {s: {c: sum(v) / len(v) for c, v in by.items()} for s, by in seen.items()}
