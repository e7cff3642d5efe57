"""Scores and what they say: score, compare."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import click
import numpy as np
import yaml

from nomikon.cli.tables import Sources, csv_rows
from nomikon.cli.telling import (
    FILE,
    Unusable,
    answer_with,
    ask_json,
    no_constant,
    read_text,
    refuse,
)
from nomikon.core.cases.forms import ALSO_RIGHT, forms_in
from nomikon.core.errors import DomainError
from nomikon.core.foreign_words import of_json
from nomikon.core.measures import Answer, read_scorecard
from nomikon.core.stats import ScoreRow, compare
from nomikon.core.stats.power import cases_needed, smallest_difference
from nomikon.core.trials import NANO
from nomikon.core.yaml_lines import load_plain
from nomikon.engine.scoring import Job, score_many


@click.command("score")
@click.option("--scorecard", "card_file", type=FILE, required=True, help="scorecard/1, YAML")
@click.option("--outputs", "outputs_file", type=FILE, required=True, help="JSON Lines")
@ask_json
def score_command(card_file: Path, outputs_file: Path, as_json: bool) -> None:
    """Score outputs by a scorecard, without calling a model."""
    try:
        document = load_plain(read_text(card_file))
        read_scorecard(document)
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        refuse(card_file, "not YAML", mark.line + 1 if mark else None)
    except DomainError as error:
        refuse(card_file, f"{error.field}: {error.message}")
    rows = []
    text = json.dumps(document)
    jobs = (Job(text, (answer,), (None,), ({},)) for answer in _answers(outputs_file))
    for row, (scores,) in enumerate(score_many(jobs)):
        named = [*scores.by_name.items(), ("total", scores.total)]
        rows += [{"row": row, "measure": n, "score": s.value, "why": s.why} for n, s in named]
    answer_with(
        {"scores": rows},
        as_json,
        [
            f"{r['row']}  {r['measure']}  {'–' if r['score'] is None else format(r['score'], '.3f')}  "
            f"{r['why']}"
            for r in rows
        ],
    )


def _answers(path: Path) -> list[Answer]:
    answers = []
    for number, line in enumerate(read_text(path).split("\n"), 1):
        if not line.strip():
            continue
        try:
            row = json.loads(line, parse_constant=no_constant)
        except (ValueError, RecursionError) as error:
            refuse(path, f"not JSON: {of_json(error)}", number)
        if not isinstance(row, dict) or not isinstance(row.get("output"), str):
            refuse(path, "every line must be an object with a text as output", number)
        reference = row.get("reference")
        if reference is not None and not isinstance(reference, str):
            reference = json.dumps(reference, ensure_ascii=False)
        inputs = row.get("inputs")

        cost = _row_number(path, number, row, "cost")
        answers.append(
            Answer(
                output=row["output"],
                reference=reference,
                forms=forms_in(row.get(ALSO_RIGHT)),
                inputs=inputs if isinstance(inputs, dict) else {},
                finish_reason=row.get("finish_reason"),
                tokens_in=_row_number(path, number, row, "tokens_in"),
                tokens_out=_row_number(path, number, row, "tokens_out"),
                cost=None if cost is None else round(cost * NANO),
                latency_ms=_row_number(path, number, row, "latency_ms"),
                prompt=row.get("prompt") if isinstance(row.get("prompt"), str) else None,
            )
        )
    return answers


def _row_number(path: Path, line: int, row: dict[str, Any], name: str) -> Any:
    """A number of an output row; None where it is not given."""
    value = row.get(name)
    if value is not None and (isinstance(value, bool) or not isinstance(value, (int, float))):
        refuse(path, f"{name} is {value!r}; it must be a number", line)
    return value


@click.command("compare")
@click.argument("scores", type=FILE)
@click.option("--against", help="the reference arm; without it all pairs are compared")
@click.option(
    "--family",
    help="corrected for together: reference (where --against was fixed before looking) or pairs",
)
@click.option("--missing", default="drop", help="drop or zero")
@click.option("--margin", type=float, default=0.05, help="the difference that matters")
@click.option("--seed", type=int, default=0)
@click.option("--resamples", type=int, default=10_000)
@click.option("--level", type=float, default=0.95)
@ask_json
def compare_command(
    scores: Path,
    against: str | None,
    family: str | None,
    missing: str,
    margin: float,
    seed: int,
    resamples: int,
    level: float,
    as_json: bool,
) -> None:
    """Compare arms from a table of scores (columns arm, case, repeat, score, maybe source)."""
    if seed < 0:
        raise Unusable(f"--seed is {seed}; it must be 0 or more")
    try:
        rows, sources = _score_rows(scores)
        result = compare(
            rows,
            against=against,
            family=family,
            sources=sources,
            missing=missing,
            margin=margin,
            seed=seed,
            n_resamples=resamples,
            level=level,
        )
    except DomainError as error:
        refuse(scores, error.message)
    document = {
        "arms": [_without(a.__dict__, "method") for a in result.arms],
        "comparisons": [dict(c.__dict__) for c in result.comparisons],
    }
    answer_with(document, as_json, [*_arm_lines(result), "", *_pair_lines(result)])


@click.command("power")
@click.argument("scores", type=FILE)
@click.option("--a", "a", required=True, help="one arm")
@click.option("--b", "b", required=True, help="the other")
@click.option("--difference", type=float, required=True, help="what is to be found, above 0")
@ask_json
def power_command(scores: Path, a: str, b: str, difference: float, as_json: bool) -> None:
    """How many cases find a difference between two arms, and what those there are can find."""
    if not (math.isfinite(difference) and difference > 0):
        raise Unusable(f"--difference is {difference}; it must be above 0")
    means: dict[str, dict[str, list[float]]] = {}
    for row in _score_rows(scores)[0]:
        if row.score is not None:
            means.setdefault(row.arm, {}).setdefault(row.case, []).append(row.score)
    for arm in (a, b):
        if arm not in means:
            refuse(scores, f"there is no arm {arm!r} with a score; there are {', '.join(means)}")
    both = sorted(set(means[a]) & set(means[b]))
    if len(both) < 2:
        refuse(scores, f"{a} and {b} have {len(both)} cases in common; 2 at least are needed")
    apart = [float(np.mean(means[a][c]) - np.mean(means[b][c])) for c in both]
    s_d = float(np.std(apart, ddof=1))
    needed = cases_needed(s_d, difference)
    document = {
        "cases_needed": needed,
        "smallest_difference": smallest_difference(s_d, len(both)),
        "why_null": None if needed else "every case differs by the same: no number of them tells",
    }
    told = "no number of such cases tells" if needed is None else f"{needed} cases are needed"
    answer_with(
        document,
        as_json,
        [
            f"to find {difference:g} between {a} and {b}: {told} (80 % power, two-sided 5 %)",
            f"the {len(both)} cases there are find {document['smallest_difference']:.3f}",
        ],
    )


def _without(row: dict[str, Any], *names: str) -> dict[str, Any]:
    return {k: v for k, v in row.items() if k not in names}


def _score_rows(path: Path) -> tuple[list[ScoreRow], dict[str, str] | None]:
    """The scores, and the source of each case where the table has such a column."""
    rows: list[ScoreRow] = []
    sources = Sources(path)
    cards: set[str] = set()
    for line, row in csv_rows(path, ("arm", "case", "score"), "arm, case, repeat, score, source"):
        rows.append(_score_row(path, line, row))
        cards.add(row.get("scorecard", "").strip())
        if len(cards) > 1:
            refuse(
                path,
                f"scores by two scorecards ({' and '.join(sorted(cards))}): compare each by itself",
                line,
            )
        sources.take(line, row)
    return rows, sources.by_case


def _score_row(path: Path, line: int, row: dict[str, str]) -> ScoreRow:
    repeat_text, score_text = row.get("repeat", "").strip() or "0", row["score"].strip()
    try:
        repeat = int(repeat_text)
    except ValueError:
        refuse(path, f"repeat is {repeat_text!r}; it must be a whole number", line)
    if not score_text:
        return ScoreRow(row["arm"], row["case"], repeat, None)
    try:
        score = float(score_text)
    except ValueError:
        refuse(path, f"score is {score_text!r}; it must be a number or blank", line)
    if not (math.isfinite(score) and 0 <= score <= 1):
        refuse(path, f"score is {score_text}; scores lie between 0 and 1, a blank is missing", line)
    return ScoreRow(row["arm"], row["case"], repeat, score)


def _figure(value: float | None, sign: bool = False) -> str:
    return "–" if value is None else f"{value:{'+' if sign else ''}.3f}"


def _arm_lines(result: Any) -> list[str]:
    return [
        f"{a.arm}: {_figure(a.mean)} ({_figure(a.low)} to {_figure(a.high)}), {a.n_cases} cases"
        + (f", {a.n_missing} missing" if a.n_missing else "")
        + (
            f", from {a.n_sources} sources: count as about {a.effective_cases:.0f}"
            if a.n_sources is not None and a.effective_cases is not None
            else ""
        )
        for a in result.arms
    ]


def _pair_lines(result: Any) -> list[str]:
    return [
        f"{c.a} against {c.b}: {_figure(c.difference, True)} ({_figure(c.low, True)} to "
        f"{_figure(c.high, True)}), p {_figure(c.p_holm)} after Holm, {c.wins} won, {c.ties} "
        f"alike, {c.losses} lost, {c.n_cases} cases"
        for c in result.comparisons
    ]
