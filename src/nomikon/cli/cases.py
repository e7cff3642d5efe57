"""`nomikon cases check`: what a file of cases is like, before anything is run on it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from nomikon.cli.tables import RESERVED, read_cases
from nomikon.cli.telling import FILE, answer_with, ask_json
from nomikon.core.cases import Table
from nomikon.core.cases.near import NearPair
from nomikon.core.cases.quality import Quality, examine
from nomikon.core.prompts.rendering import value_as_text

SHOWN = 20


@click.group("cases")
def cases_group() -> None:
    """Look at files of cases."""


@cases_group.command("check")
@click.argument("file", type=FILE)
@click.option("--reference", default="reference", help="the column that holds the reference")
@ask_json
def check_cases_command(file: Path, reference: str, as_json: bool) -> None:
    """Rows, columns, near-duplicates, leaks, labels, lengths, and rows refused."""
    table = read_cases(file)
    columns = [c for c in table.columns if c not in (*RESERVED, reference)]
    inputs = [{c: row.get(c) for c in columns} for row in table.rows]
    references = [_as_text(row.get(reference)) for row in table.rows]
    splits = [str(row.get("split") or "working").strip().lower() for row in table.rows]
    splits = ["held-out" if s in ("held-out", "heldout", "held_out") else "working" for s in splits]
    tags = [_tags(row.get("tags")) for row in table.rows]
    found = examine(inputs, references, splits, tags)
    answer_with(_document(table, columns, found), as_json, _lines(table, columns, found))


def _as_text(value: Any) -> str | None:
    if value in (None, ""):
        return None
    return value_as_text(value)


def _tags(value: Any) -> list[str]:
    found = value if isinstance(value, list) else str(value or "").split(";")
    return [str(t).strip() for t in found if str(t).strip()]


def _document(table: Table, columns: list[str], found: Quality) -> dict[str, Any]:
    def pair(p: NearPair) -> dict[str, Any]:
        return {"lines": [table.lines[p.a], table.lines[p.b]], "likeness": round(p.likeness, 4)}

    return {
        "rows": found.n,
        "columns": columns,
        "duplicates": [pair(p) for p in found.duplicates],
        "leaks": [pair(p) for p in found.leaks],
        "labels": found.labels,
        "lengths": {c: lengths.__dict__ for c, lengths in found.lengths.items()},
        "empty": [table.lines[i] for i in found.empty],
        "outliers": [table.lines[i] for i in found.outliers],
        "tags": found.tags,
        "smallest_difference": found.smallest_difference,
        "refused": [r.__dict__ for r in table.refused],
        "why_null": "labels: the references are no labels" if found.labels is None else None,
    }


def _lines(table: Table, columns: list[str], found: Quality) -> list[str]:
    lines = [f"{found.n} rows, columns {', '.join(columns)}"]
    for words, pairs in (("near-duplicates", found.duplicates), ("leaks", found.leaks)):
        shown = [
            f"{table.lines[p.a]} and {table.lines[p.b]} ({p.likeness:.2f})" for p in pairs[:SHOWN]
        ]
        more = f", {len(pairs) - SHOWN} more" if len(pairs) > SHOWN else ""
        lines.append(
            f"{words}: {len(pairs)}" + (f": lines {'; '.join(shown)}{more}" if shown else "")
        )
    if found.labels is not None:
        lines.append("labels: " + ", ".join(f"{label} {n}" for label, n in found.labels.items()))
    for column, x in found.lengths.items():
        lines.append(
            f"{column}: {x.least} to {x.greatest} characters, half of them up to {x.median:g}, {x.empty} empty"
        )
    if found.outliers:
        lines.append(
            f"far longer than the rest: lines {', '.join(str(table.lines[i]) for i in found.outliers[:SHOWN])}"
        )
    if found.smallest_difference is not None:
        lines.append(f"smallest difference they can show: about {found.smallest_difference:.3f}")
    lines += [f"refused, line {r.line}: {r.reason}" for r in table.refused[:SHOWN]]
    return lines
