"""`nomikon read`: what a prompt file is read to ask for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import click

from nomikon.cli.tables import RESERVED, read_cases
from nomikon.cli.telling import FILE, answer_with, ask_json, read_prompt, refuse
from nomikon.core.errors import DomainError
from nomikon.core.prompts import fit_columns
from nomikon.core.prompts.tenor import Tenor, read_tenor
from nomikon.core.prompts.tenor.conflicts import in_words
from nomikon.core.prompts.tenor.shape import NO_CHARACTERS, RELATIVE, TIMES, Words


@click.command("read")
@click.argument("file", type=FILE)
@click.option("--dataset", type=FILE, help="cases: CSV, JSON Lines or XLSX")
@ask_json
def read_command(file: Path, dataset: Path | None, as_json: bool) -> None:
    """Read what a prompt file asks for: task, inputs, output, labels, limits, rules, examples."""
    prompt = read_prompt(file)
    try:
        tenor = read_tenor(prompt.messages, prompt.settings, prompt.task)
        columns = [] if dataset is None else list(read_cases(dataset).columns)
        unfilled = fit_columns(
            prompt.messages, [c for c in columns if c not in (*RESERVED, "reference")]
        ).unfilled
    except DomainError as error:
        refuse(file, error.message)
    told = tenor_as_plain(tenor, unfilled if dataset is not None else None)
    answer_with(told, as_json, _lines(tenor))


def tenor_as_plain(tenor: Tenor, unfilled: Sequence[str] | None = None) -> dict[str, Any]:
    """The tenor as JSON: every part with its clause, its words and its source.

    unfilled: inputs that no column of a dataset fills, where one was given.
    """
    output = tenor.output
    return {
        "language": tenor.language or None,
        "task": {"kind": tenor.kind, **_said(tenor.task)},
        "role": _or_none(tenor.role),
        "audience": _or_none(tenor.audience),
        "tone": _or_none(tenor.tone),
        "answer_language": tenor.answer_language or None,
        "inputs": [
            {
                "name": x.name,
                "marks": list(x.marks) if any(x.marks) else None,
                **({} if unfilled is None else {"filled": x.name not in unfilled}),
                **_place(x.words),
            }
            for x in tenor.inputs
        ],
        "output": {
            "form": output.form or None,
            "keys": [{"name": k.name, "type": k.type or None} for k in output.keys],
            "columns": list(output.columns),
            "labels": [
                {"label": x.label, "definition": x.definition or None, **_place(x.words)}
                for x in output.labels
            ],
            **_place(output.words),
        },
        "limits": _limits(tenor),
        "rules": [
            {
                "polarity": x.polarity,
                **_said(x.words),
                "instead": x.instead.text if x.instead else None,
            }
            for x in tenor.rules
        ],
        "examples": [
            {"input": x.input, "output": x.output, **_place(x.words)} for x in tenor.examples
        ],
        "cue": _or_none(tenor.cue),
        "left_overs": [_said(x) for x in tenor.left_overs],
    }


def _limits(tenor: Tenor) -> list[dict[str, Any]]:
    """Lengths, then how often a word may stand, which signs may not, and the share of the input."""
    found = [
        {"what": x.what, "per": x.per or None, "low": x.low, "high": x.high, **_said(x.words)}
        for x in tenor.limits
    ]
    for x in tenor.signs:
        told = {"what": x.kind, "per": ", ".join(v for v in x.values if v) or None}
        if x.kind in (TIMES, NO_CHARACTERS):
            found.append({**told, "low": x.low, "high": x.high, **_said(x.words)})
        elif x.kind == RELATIVE:
            share = float(x.values[0])
            found.append({**told, "per": None, "low": None, "high": share, **_said(x.words)})
    return found


def _place(words: Words | None) -> dict[str, Any]:
    return {
        "clause": words.clause if words else None,
        "source": words.source if words else "rule",
    }


def _said(words: Words | None) -> dict[str, Any]:
    return {"text": words.text if words else None, **_place(words)}


def _or_none(words: Words | None) -> dict[str, Any] | None:
    return _said(words) if words else None


def _lines(tenor: Tenor) -> list[str]:
    """A line for each part that was found."""
    output = tenor.output
    rows: list[tuple[str, Mapping[str, Any] | str]] = [("language", tenor.language or "not told")]
    named = {"task": tenor.task, "role": tenor.role, "audience": tenor.audience, "tone": tenor.tone}
    rows += [(name, _said(words)) for name, words in named.items() if words]
    for x in tenor.inputs:
        marks = " … ".join(x.marks) if any(x.marks) else "without marks"
        rows.append(("input", f"{x.name}, {marks}"))
    if output.form:
        names = [k.name for k in output.keys] or list(output.columns)
        rows.append(("output", output.form + (f" ({', '.join(names)})" if names else "")))
    if output.labels:
        rows.append(("labels", ", ".join(x.label for x in output.labels)))
    rows += [("limit", {**_said(x.words), "text": in_words(x)}) for x in tenor.limits]
    rows += [(x.polarity.replace("-", " "), _said(x.words)) for x in tenor.rules]
    rows += [("example", f"{x.input} → {x.output}") for x in tenor.examples]
    if tenor.cue:
        rows.append(("cue", _said(tenor.cue)))
    rows += [("left over", _said(x)) for x in tenor.left_overs]
    return [_line(name, told) for name, told in rows]


def _line(name: str, told: Mapping[str, Any] | str) -> str:
    if isinstance(told, str):
        return f"{name}: {told}"
    text = " ".join(str(told["text"] or "").split())
    return f"{name}: {text}" + (f" (§ {told['clause']})" if told["clause"] else "")
