"""What models really send: a helping role's reply as it is read, and what answers are taken for."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import click
import yaml

from nomikon.cli.telling import (
    AMISS,
    FILE,
    Unusable,
    answer_with,
    ask_json,
    read_prompt,
    read_text,
    refuse,
)
from nomikon.core.consulting.roles import READERS, Subject, UnreadableReplyError, read_reply
from nomikon.core.errors import DomainError
from nomikon.core.measures.rubric import Criterion, Rubric
from nomikon.core.measures.scorecard import read_scorecard
from nomikon.core.replies.reasoning import part_reasoning
from nomikon.core.trials import outcome_of
from nomikon.core.yaml_lines import load_plain


@click.command("reply")
@click.argument("role", type=click.Choice(list(READERS)))
@click.argument("file", type=FILE)
@click.option("--prompt", "prompt_file", type=FILE, help="the version it is about")
@click.option("--columns", default="", help="what cases fill, by name, with commas between")
@click.option("--scorecard", "scorecard_file", type=FILE, help="whose rubric was judged")
@click.option("--measure", "measure_name", default="", help="its measure, where it has several")
@ask_json
@click.pass_context
def reply_command(
    context: click.Context,
    role: str,
    file: Path,
    prompt_file: Path | None,
    columns: str,
    scorecard_file: Path | None,
    measure_name: str,
    as_json: bool,
) -> None:
    """Read a helping model's reply: what it holds, what was refused, repaired and passed over."""
    text = read_text(file)
    subject = Subject(
        messages=read_prompt(prompt_file).messages if prompt_file else (),
        columns=tuple(c.strip() for c in columns.split(",") if c.strip()),
        # Any fault may be named: here it is not known how many were shown.
        faults=10_000,
        criteria=_criteria(scorecard_file, measure_name) if scorecard_file else (),
    )
    try:
        found = read_reply(role, text, subject)
    except UnreadableReplyError as error:
        nothing = {
            "items": 0,
            "value": None,
            "refused": [{"item": 0, "why": error.message}],
            "repaired": [],
            "passed_over": [],
        }
        answer_with(nothing, as_json, [f"nothing could be read: {error.message}"])
        context.exit(AMISS)
    document: dict[str, Any] = {
        "items": found.items,
        "value": found.value,
        "refused": [{"item": place, "why": why} for place, why in found.refused],
        "repaired": found.repaired,
        "passed_over": found.passed_over,
    }
    if role == "user":
        document["ended"] = found.ended
    lines = [json.dumps(found.value, ensure_ascii=False, indent=2)]
    lines += [f"refused {place}: {why}" for place, why in found.refused]
    lines += [f"repaired: {what}" for what in found.repaired]
    lines += [f"passed over: {what}" for what in found.passed_over]
    answer_with(document, as_json, lines)
    if not found.items:
        context.exit(AMISS)


def _criteria(file: Path, measure: str) -> tuple[Criterion, ...]:
    try:
        card = read_scorecard(load_plain(read_text(file)))
    except yaml.YAMLError as error:
        refuse(file, f"not YAML: {getattr(error, 'problem', None) or 'it cannot be read'}")
    except DomainError as error:
        refuse(file, error.message)
    rubrics = {n: m for n, m in card.judged if isinstance(m, Rubric)}
    if measure and measure not in rubrics:
        refuse(file, f"there is no rubric {measure!r}; there are {', '.join(rubrics) or 'none'}")
    if not rubrics or (len(rubrics) > 1 and not measure):
        refuse(file, f"say which with --measure: {', '.join(rubrics) or 'it has no rubric'}")
    return (rubrics[measure] if measure else next(iter(rubrics.values()))).criteria


@click.command("outcome")
@click.argument("file", type=FILE)
@ask_json
@click.pass_context
def outcome_command(context: click.Context, file: Path, as_json: bool) -> None:
    """What answers are taken for: answered, cut, declined or empty, for sure or looking like it."""
    found = []
    for row, line in enumerate(read_text(file).split("\n"), 1):
        if not line.strip():
            continue
        text, finish = _answer_of(file, row, line)
        parted = part_reasoning(text)
        told = outcome_of(parted.answer, finish, reasoned=bool(parted.reasoning))
        found.append(
            {
                "row": row,
                "outcome": told.suspected or told.kind,
                "sure": told.sure,
                "why": told.why,
            }
        )
    if not found:
        raise Unusable(f"{file}: it holds no answer")
    lines = [
        f"{r['row']}: {r['outcome']}{'' if r['sure'] else ' (looks like it)'}"
        + (f": {r['why']}" if r["why"] else "")
        for r in found
    ]
    answer_with({"outcomes": found}, as_json, lines)


def _answer_of(file: Path, row: int, line: str) -> tuple[str, str | None]:
    try:
        held = json.loads(line)
    except (ValueError, RecursionError):
        refuse(file, "not a JSON object", row)
    if not isinstance(held, dict) or not isinstance(held.get("output"), str):
        refuse(file, 'needs a text "output"', row)
    finish = held.get("finish_reason")
    if finish is not None and not isinstance(finish, str):
        refuse(file, "finish_reason must be a text or null", row)
    return held["output"], finish
