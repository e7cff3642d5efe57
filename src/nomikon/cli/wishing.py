"""`nomikon wish`: wishes for a prompt file, as amendments by rule."""

from __future__ import annotations

from pathlib import Path

import click

from nomikon.cli.tables import RESERVED, read_cases
from nomikon.cli.telling import FILE, answer_with, ask_json, read_prompt, refuse
from nomikon.core.errors import DomainError
from nomikon.core.prompts import as_rows, clauses_of
from nomikon.core.prompts.proposals import apply_proposals
from nomikon.core.prompts.wishes import grant_wishes


@click.command("wish")
@click.argument("file", type=FILE)
@click.option(
    "--wish", "wishes", multiple=True, required=True, help="what shall be otherwise; again for more"
)
@click.option("--dataset", type=FILE, help="cases, whose columns may come in as inputs")
@ask_json
def wish_command(file: Path, wishes: tuple[str, ...], dataset: Path | None, as_json: bool) -> None:
    """Turn wishes for a prompt file into amendments by rule; those that no rule can read are told."""
    prompt = read_prompt(file)
    try:
        columns = [] if dataset is None else list(read_cases(dataset).columns)
        named = [c for c in columns if c not in (*RESERVED, "reference")]
        done = grant_wishes(prompt.messages, wishes, named)
        after = apply_proposals(prompt.messages, done.proposals)
    except DomainError as error:
        refuse(file, error.message)
    clauses = {c.number: c.text for c in clauses_of(prompt.messages)}
    rows = [
        {
            "id": p.id,
            "kind": p.kind,
            "clause": p.clause,
            "before": clauses.get(p.clause) if p.kind != "add" else None,
            "text": p.text,
            "reason": p.reason,
            "wishes": [wishes[n - 1] for n in done.wishes[p.id]],
        }
        for p in done.proposals
    ]
    met = [wishes[n - 1] for n in done.met]
    document = {
        "amendments": rows,
        "met": met,
        "unmet": [wishes[n - 1] for n, _ in done.unmet],
        "why": [why for _, why in done.unmet],
        "messages": as_rows(after),
    }
    lines = [f"{r['kind']} §{r['clause']}: {r['text'] or r['before']}" for r in rows]
    lines += [f"already so: {w}" for w in met]
    lines += [f"left: {wishes[n - 1]} ({why})" for n, why in done.unmet]
    answer_with(document, as_json, lines)
