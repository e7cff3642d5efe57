"""Prompt files: render, clauses, diff."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from nomikon.cli.telling import (
    AMISS,
    FILE,
    Unusable,
    answer_with,
    ask_json,
    read_json,
    read_prompt,
    refuse,
)
from nomikon.core.errors import DomainError
from nomikon.core.prompts import (
    Amendment,
    amendments_between,
    clauses_of,
    render,
    word_changes,
)


@click.command("render")
@click.argument("file", type=FILE)
@click.option("--set", "sets", multiple=True, metavar="NAME=VALUE", help="a value by hand")
@click.option("--case", "case_file", type=FILE, help="a flat JSON object of values")
@ask_json
@click.pass_context
def render_command(
    context: click.Context,
    file: Path,
    sets: tuple[str, ...],
    case_file: Path | None,
    as_json: bool,
) -> None:
    """Fill a prompt file's placeholders: the messages exactly as sent."""
    prompt = read_prompt(file)
    case: dict[str, Any] = {}
    if case_file is not None:
        case = read_json(case_file)
        if not isinstance(case, dict):
            refuse(case_file, "a case must be a flat JSON object")
        nested = [k for k, v in case.items() if isinstance(v, dict)]
        if nested:
            refuse(case_file, f"a case must be flat; {nested[0]!r} holds an object")
    for pair in sets:
        name, equals, value = pair.partition("=")
        if not equals or not name:
            raise Unusable(f"--set takes NAME=VALUE, not {pair!r}")
        case[name] = value
    try:
        done = render(prompt.messages, case)
    except DomainError as error:
        refuse(file, error.message)
    document = {
        "messages": [m.__dict__ for m in done.messages],
        "missing": done.missing,
        "unused": done.unused,
    }
    lines = [f"[{m.role}{f' · {m.step}' if m.step else ''}]\n{m.content}\n" for m in done.messages]
    lines += [f"missing: {', '.join(done.missing)}"] if done.missing else []
    lines += [f"unused: {', '.join(done.unused)}"] if done.unused else []
    answer_with(document, as_json, lines)
    if done.missing:
        context.exit(AMISS)


@click.command("clauses")
@click.argument("file", type=FILE)
@ask_json
def clauses_command(file: Path, as_json: bool) -> None:
    """Number the clauses of a prompt file."""
    prompt = read_prompt(file)
    try:
        found = clauses_of(prompt.messages)
    except DomainError as error:
        refuse(file, error.message)
    document = {
        "messages": [
            {"index": i, "role": m.role, "step": m.step, "content": m.content}
            for i, m in enumerate(prompt.messages)
        ],
        "clauses": [c.__dict__ for c in found],
    }
    answer_with(document, as_json, [f"§{c.number} {c.kind}: {c.text}" for c in found])


@click.command("diff")
@click.argument("a", type=FILE)
@click.argument("b", type=FILE)
@ask_json
def diff_command(a: Path, b: Path, as_json: bool) -> None:
    """What leads from one prompt file to another, clause by clause."""
    old, new = read_prompt(a), read_prompt(b)
    try:
        found = amendments_between(old.messages, new.messages, old.settings, new.settings)
    except DomainError as error:
        refuse(b, error.message)

    def side(clause: Any) -> dict[str, Any] | None:
        return clause and {"number": clause.number, "text": clause.text}

    rows = [
        {
            "id": x.id,
            "kind": x.kind,
            "before": side(x.before),
            "after": side(x.after),
            "requires": list(x.requires),
            "detail": x.detail,
        }
        for x in found.amendments
    ]
    answer_with(
        {"amendments": rows, "kept": found.kept},
        as_json,
        [*map(_told, found.amendments), f"{found.kept} kept"],
    )


def _told(amendment: Amendment) -> str:
    """One amendment for people: struck words in [-…-], new ones in {+…+}."""
    before, after = amendment.before, amendment.after
    if before and after:
        marks = {"same": "{}", "gone": "[-{}-]", "new": "{{+{}+}}"}
        words = "".join(marks[c.kind].format(c.text) for c in word_changes(before.text, after.text))
        return f"{amendment.kind} §{before.number} → §{after.number}: {words}"
    if before or after:
        clause = before or after
        assert clause is not None
        return f"{amendment.kind} §{clause.number}: {clause.text}"
    return f"{amendment.kind}: {amendment.detail}"
