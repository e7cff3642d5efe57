"""`nomikon check`: the findings of a prompt file."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from nomikon.cli.tables import RESERVED, read_cases
from nomikon.cli.telling import (
    AMISS,
    FILE,
    FOLDER,
    Unusable,
    answer_with,
    ask_json,
    read_json,
    read_prompt,
    refuse,
)
from nomikon.companions import known_contexts
from nomikon.core.errors import DomainError
from nomikon.core.prompts import Prompt, render
from nomikon.core.prompts.findings import ERROR, Finding, Subject, check_prompt
from nomikon.core.prompts.findings.held import LEAST, known_from, rates_on
from nomikon.core.trials.estimates import estimate_messages


@click.command("check")
@click.argument("file", type=FILE, required=False)
@click.option("--dataset", type=FILE, help="cases: CSV, JSON Lines or XLSX")
@click.option("--model", metavar="NAME[=TOKENS]", help="the model, and how many tokens it holds")
@click.option(
    "--held",
    type=FOLDER,
    help="in place of a file: prompts with known flaws, on which each rule's precision is told",
)
@ask_json
@click.pass_context
def check_command(
    context: click.Context,
    file: Path | None,
    dataset: Path | None,
    model: str | None,
    held: Path | None,
    as_json: bool,
) -> None:
    """Find weak spots of a prompt file without asking a model."""
    if (file is None) == (held is None):
        raise Unusable("name a prompt file, or a folder of them with --held")
    if held is not None:
        _tell_rates(context, held, as_json)
        return
    assert file is not None
    prompt = read_prompt(file)
    rows = [] if dataset is None else read_cases(dataset).rows
    holds = None if model is None else _context_of(model)
    columns = _columns(prompt, rows)
    try:
        longest = {c: max((len(str(r.get(c) or "")) for r in rows), default=0) for c in columns}
        subject = Subject(
            prompt.messages,
            prompt.settings,
            prompt.task,
            tuple(columns) or None,
            longest if rows else {},
            context=holds,
            prompt_tokens=_tokens(prompt, rows),
        )
        found = check_prompt(subject)
    except DomainError as error:
        refuse(file, error.message)
    answer_with(
        {"findings": [_plain(f) for f in found]},
        as_json,
        [_line(f) for f in found] or ["nothing found"],
    )
    if any(f.severity == ERROR for f in found):
        context.exit(AMISS)


def _tell_rates(context: click.Context, folder: Path, as_json: bool) -> None:
    """Each rule's precision on the prompt files of a folder; `planted.json` names the words of their flaws."""
    listed = folder / "planted.json"
    planted = read_json(listed)
    if not isinstance(planted, dict):
        refuse(listed, "it must be an object: prompt file to a list of the words of its flaws")
    files = sorted(folder.glob("*.md"))
    if unknown := sorted(set(planted) - {f.name for f in files}):
        refuse(listed, f"there is no prompt file {unknown[0]} in the folder")
    if not files:
        refuse(folder, "it holds no prompt file (*.md)")
    try:
        rates = rates_on([known_from(f.name, read_prompt(f).messages, planted) for f in files])
    except DomainError as error:
        refuse(listed, error.message)
    document = {
        "rules": [
            {"rule": r.rule, "found": r.found, "right": r.right, "precision": r.precision,
             "holds": r.holds}
            for r in rates.rules
        ],
        "planted": rates.planted,
        "seen": rates.planted - len(rates.missed),
        "missed": [{"file": name, "words": words} for name, words in rates.missed],
        "sound": rates.sound,
        "alarms": rates.alarms,
    }  # fmt: skip
    lines = [
        f"{r.precision:4.0%} [{r.rule}] {r.right} of {r.found} right"
        + ("" if r.holds else f", under {LEAST:.0%}: it should be a note")
        for r in rates.rules
    ]
    lines += [f"missed in {name}: {words}" for name, words in rates.missed]
    lines.append(f"{document['seen']} of {rates.planted} planted flaws seen above a note")
    lines.append(f"{rates.alarms} alarms on {rates.sound} sound prompts")
    answer_with(document, as_json, lines)
    if not all(r.holds for r in rates.rules):
        context.exit(AMISS)


def _columns(prompt: Prompt, rows: list[dict[str, Any]]) -> list[str]:
    """Columns that a prompt may read; without a dataset those its front matter names."""
    if not rows:
        return list(prompt.inputs)
    names = dict.fromkeys(name for row in rows for name in row)
    return [n for n in names if n not in (*RESERVED, "reference")]


def _context_of(model: str) -> int:
    name, equals, tokens = model.partition("=")
    if equals and tokens.isdigit() and int(tokens) > 0:
        return int(tokens)
    known = known_contexts()
    if not equals and name in known:
        return known[name]
    raise Unusable(
        f"--model {model}: give how many tokens it holds, as NAME=TOKENS; known by name are "
        f"{', '.join(known)}"
    )


def _tokens(prompt: Prompt, rows: list[dict[str, Any]]) -> int:
    """Tokens of the prompt with the case that makes it longest."""
    return max(
        estimate_messages([m.content for m in render(prompt.messages, row).messages])
        for row in rows or [{}]
    )


def _plain(found: Finding) -> dict[str, Any]:
    return {**found.__dict__, "fix": None if found.fix is None else dict(found.fix.__dict__)}


def _line(found: Finding) -> str:
    where = "" if found.clause is None else f" § {found.clause}"
    return f"{found.severity}{where} [{found.rule}] {found.text}"
