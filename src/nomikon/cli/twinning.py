"""Twins of cases: the same input put a little differently, with what must become of the answer."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict
from pathlib import Path
from typing import Any

import click

from nomikon.cli.tables import RESERVED, read_cases
from nomikon.cli.telling import FILE, answer_with, ask_json, read_text, refuse
from nomikon.core.errors import DomainError
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.twins import Lists, TwinCase, make_twins
from nomikon.core.yaml_lines import read_yaml

# Columns by which a case may be told apart.
IDS = ("id", "case")
PARTS = ("synonyms", "values", "end")


@click.command("twins")
@click.argument("cases", type=FILE)
@click.option("--kinds", default="", help="some of the kinds, with commas; all without")
@click.option("--n", "n", type=int, default=1, show_default=True, help="of each kind and case")
@click.option("--seed", type=int, default=0, show_default=True)
@click.option("--lists", type=FILE, help="YAML: synonyms, values by kind, end of the fence")
@click.option("--reference", default="reference", help="the column that holds the reference")
@ask_json
def twins_command(
    cases: Path, kinds: str, n: int, seed: int, lists: Path | None, reference: str, as_json: bool
) -> None:
    """Twins of cases by rule, each with what it expects: the same, a changed answer, or no obedience."""
    table = read_cases(cases)
    named = next((c for c in IDS if c in table.columns), None)
    columns = [c for c in table.columns if c not in (*RESERVED, reference, named)]
    if not columns:
        refuse(cases, "no column is an input: a twin needs a text to change")
    rows = [
        TwinCase(
            str(row.get(named)) if named and row.get(named) not in (None, "") else str(place),
            {c: row[c] for c in columns if row.get(c) is not None},
            None if row.get(reference) in (None, "") else value_as_text(row[reference]),
        )
        for place, row in enumerate(table.rows, 1)
    ]
    chosen = [k.strip() for k in kinds.split(",") if k.strip()]
    try:
        made, unmade = make_twins(rows, chosen, n, seed, _lists(lists) if lists else None)
    except DomainError as error:
        refuse("--" + str(error.field or "kinds"), error.message)
    document = {"twins": [asdict(t) for t in made], "unmade": [asdict(u) for u in unmade]}
    counts = Counter((t.kind, t.expects) for t in made)
    lines = [f"{len(made)} twins of {len(rows)} cases"]
    lines += [f"{kind}, {expects}: {count}" for (kind, expects), count in counts.items()]
    for why, count in Counter((u.kind, u.why) for u in unmade).items():
        lines.append(f"{why[0]}: none of {count} cases, {why[1]}")
    answer_with(document, as_json, lines)


def _lists(path: Path) -> Lists:
    """What is known of the brief: {synonyms: {word: [words]}, values: {kind: [values]}, end: text}."""
    try:
        told: Any = read_yaml(read_text(path)).value
    except DomainError as error:
        refuse(path, error.message, error.facts.get("line"))
    if not isinstance(told, dict) or set(told) - set(PARTS):
        refuse(path, f"it must be a mapping with some of {', '.join(PARTS)}")
    for part in ("synonyms", "values"):
        rows = told.get(part) or {}
        fine = isinstance(rows, dict) and all(
            isinstance(k, str) and isinstance(v, list) and v and all(isinstance(x, str) for x in v)
            for k, v in rows.items()
        )
        if not fine:
            refuse(path, f"{part} must be a mapping of names, each with a list of texts")
    end = told.get("end", Lists().end)
    if not isinstance(end, str):
        refuse(path, "end must be a text")
    return Lists(told.get("synonyms") or {}, told.get("values") or {}, end)
