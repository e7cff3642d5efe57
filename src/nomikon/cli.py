"""The `nomikon` command: every core computation has a headless twin here.

Exit status: 0 done, 1 done with something amiss, 2 unusable input (one line on
standard error: file, line, what is wrong, what is allowed).
"""

from __future__ import annotations

import csv
import io
import json
import math
import sys
from pathlib import Path
from typing import Any, NoReturn

import click
import yaml

from nomikon.core.errors import DomainError
from nomikon.core.measures import Answer, read_scorecard, score_answer
from nomikon.core.prompts import Prompt, amendments_between, clauses_of, parse_prompt_file, render
from nomikon.core.stats import ScoreRow, compare

AMISS, UNUSABLE = 1, 2


class Unusable(click.ClickException):
    """Input that cannot be used; told in one line."""

    exit_code = UNUSABLE


def refuse(path: str | Path, text: str, line: int | None = None) -> NoReturn:
    """Stop with `file:line: what is wrong`."""
    where = f"{path}:{line}" if line else str(path)
    raise Unusable(f"{where}: {text}")


def read_text(path: Path) -> str:
    """A file as UTF-8 text."""
    try:
        return path.read_bytes().decode("utf-8-sig")
    except FileNotFoundError:
        refuse(path, "there is no such file")
    except OSError as error:
        refuse(path, f"cannot be read: {error.strerror}")
    except UnicodeDecodeError as error:
        line = error.object[: error.start].count(b"\n") + 1
        refuse(path, "not UTF-8", line)


def read_json(path: Path) -> Any:
    """A file as JSON."""
    text = read_text(path)
    try:
        return json.loads(text, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        refuse(path, f"not JSON: {error.msg}", error.lineno)
    except (ValueError, RecursionError) as error:
        refuse(path, f"not JSON: {error}")


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is no JSON value")


def read_prompt(path: Path) -> Prompt:
    """A prompt file; newlines are kept as they are."""
    try:
        return parse_prompt_file(read_text(path))
    except DomainError as error:
        refuse(path, error.message, error.facts.get("line"))


def answer_with(document: dict[str, Any], as_json: bool, lines: list[str]) -> None:
    """One JSON document on standard output, or lines for people."""
    if as_json:
        click.echo(json.dumps(document, ensure_ascii=False, allow_nan=False))
    else:
        click.echo("\n".join(lines))


def ask_json(command: Any) -> Any:
    """The --json flag."""
    return click.option("--json", "as_json", is_flag=True, help="one JSON document")(command)


FILE = click.Path(path_type=Path)


@click.group()
def cli() -> None:
    """Write, run, compare and choose prompts for language models, with evidence."""


@cli.command("render")
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


@cli.command("clauses")
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


@cli.command("diff")
@click.argument("a", type=FILE)
@click.argument("b", type=FILE)
@ask_json
def diff_command(a: Path, b: Path, as_json: bool) -> None:
    """What leads from one prompt file to another, clause by clause."""
    old, new = read_prompt(a), read_prompt(b)
    try:
        found = amendments_between(old.messages, new.messages)
    except DomainError as error:
        refuse(b, error.message)

    def side(clause: Any) -> dict[str, Any] | None:
        return clause and {"number": clause.number, "text": clause.text}

    rows = [
        {
            "id": f"a{i}",
            "kind": x.kind,
            "before": side(x.before),
            "after": side(x.after),
            "requires": [],
        }
        for i, x in enumerate(found.amendments, 1)
    ]
    lines = [
        f"{r['kind']}: {r['before'] and r['before']['text']} → {r['after'] and r['after']['text']}"
        for r in rows
    ]
    answer_with({"amendments": rows, "kept": found.kept}, as_json, [*lines, f"{found.kept} kept"])


@cli.command("score")
@click.option("--scorecard", "card_file", type=FILE, required=True, help="scorecard/1, YAML")
@click.option("--outputs", "outputs_file", type=FILE, required=True, help="JSON Lines")
@ask_json
def score_command(card_file: Path, outputs_file: Path, as_json: bool) -> None:
    """Score outputs by a scorecard, without calling a model."""
    try:
        card = read_scorecard(yaml.safe_load(read_text(card_file)))
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        refuse(card_file, "not YAML", mark.line + 1 if mark else None)
    except DomainError as error:
        refuse(card_file, f"{error.field}: {error.message}")
    rows = []
    for row, answer in enumerate(_answers(outputs_file)):
        scores = score_answer(card, answer)
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
            row = json.loads(line, parse_constant=_no_constant)
        except (ValueError, RecursionError) as error:
            refuse(path, f"not JSON: {error}", number)
        if not isinstance(row, dict) or not isinstance(row.get("output"), str):
            refuse(path, "every line must be an object with a text as output", number)
        reference = row.get("reference")
        if reference is not None and not isinstance(reference, str):
            reference = json.dumps(reference, ensure_ascii=False)
        inputs = row.get("inputs")
        answers.append(
            Answer(
                output=row["output"],
                reference=reference,
                inputs=inputs if isinstance(inputs, dict) else {},
                finish_reason=row.get("finish_reason"),
                tokens_in=row.get("tokens_in"),
                tokens_out=row.get("tokens_out"),
                cost=row.get("cost"),
                latency_ms=row.get("latency_ms"),
            )
        )
    return answers


@cli.command("compare")
@click.argument("scores", type=FILE)
@click.option("--against", help="the reference arm; without it all pairs are compared")
@click.option("--missing", default="drop", help="drop or zero")
@click.option("--margin", type=float, default=0.05, help="the difference that matters")
@click.option("--seed", type=int, default=0)
@click.option("--resamples", type=int, default=10_000)
@click.option("--level", type=float, default=0.95)
@ask_json
def compare_command(
    scores: Path,
    against: str | None,
    missing: str,
    margin: float,
    seed: int,
    resamples: int,
    level: float,
    as_json: bool,
) -> None:
    """Compare arms from a table of scores (columns arm, case, repeat, score)."""
    if seed < 0:
        raise Unusable(f"--seed is {seed}; it must be 0 or more")
    try:
        result = compare(
            _score_rows(scores),
            against=against,
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


def _without(row: dict[str, Any], *names: str) -> dict[str, Any]:
    return {k: v for k, v in row.items() if k not in names}


def _score_rows(path: Path) -> list[ScoreRow]:
    reader = csv.reader(io.StringIO(read_text(path), newline=""), strict=True)
    rows: list[ScoreRow] = []
    header: list[str] = []
    try:
        for fields in reader:
            line = reader.line_num
            if not any(f.strip() for f in fields):
                continue
            if not header:
                header = [f.strip().lower() for f in fields]
                absent = [n for n in ("arm", "case", "score") if n not in header]
                if absent:
                    refuse(
                        path, f"no column {absent[0]}; needed are arm, case, repeat, score", line
                    )
                continue
            if len(fields) != len(header):
                refuse(path, f"{len(fields)} fields where the header has {len(header)}", line)
            rows.append(_score_row(path, line, dict(zip(header, fields, strict=True))))
    except csv.Error as error:
        refuse(path, f"not valid CSV: {error}", reader.line_num)
    return rows


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
        for a in result.arms
    ]


def _pair_lines(result: Any) -> list[str]:
    return [
        f"{c.a} against {c.b}: {_figure(c.difference, True)} ({_figure(c.low, True)} to "
        f"{_figure(c.high, True)}), p {_figure(c.p_holm)} after Holm, {c.wins} won, {c.ties} "
        f"alike, {c.losses} lost, {c.n_cases} cases"
        for c in result.comparisons
    ]


# --- processes ---------------------------------------------------------------


def _data_dir(command: Any) -> Any:
    return click.option("--data-dir", type=FILE, default=Path("data"), show_default=True)(command)


@cli.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=click.IntRange(1, 65535), default=8000, show_default=True)
@_data_dir
def serve(host: str, port: int, data_dir: Path) -> None:
    """Serve the page and run trials: the web process and the worker."""
    from nomikon.server.launch import serve as run

    sys.exit(run(host=host, port=port, data_dir=data_dir))


@cli.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=click.IntRange(1, 65535), default=8000, show_default=True)
@click.option("--no-serve", is_flag=True, help="seed, run the demo's trials, and stop")
@_data_dir
def demo(host: str, port: int, no_serve: bool, data_dir: Path) -> None:
    """Seed the demo, really running its trials against the stand-in, and serve it."""
    from nomikon.server.launch import demo as run

    sys.exit(run(host=host, port=port, data_dir=data_dir, serving=not no_serve))


@cli.command()
@_data_dir
def worker(data_dir: Path) -> None:
    """Run trials of a data directory (serve starts this by itself)."""
    from nomikon.server.launch import worker as run

    run(data_dir=data_dir)


@cli.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=click.IntRange(1, 65535), default=8100, show_default=True)
@click.option("--faults", type=FILE, help="misbehave as this JSON file says")
@click.option(
    "--pace",
    type=click.FloatRange(0, 100),
    default=1.0,
    show_default=True,
    help="times the models' own delays; 0 answers at once",
)
def standin(host: str, port: int, faults: Path | None, pace: float) -> None:
    """Run the simulated model server."""
    from nomikon.standin.faults import read_faults
    from nomikon.standin.server import serve as run

    plan = None
    if faults is not None:
        try:
            plan = read_faults(faults)
        except (OSError, ValueError, TypeError, KeyError) as error:
            refuse(faults, str(error))
    run(host=host, port=port, faults=plan, pace=pace)


def main() -> None:
    """Entry point: every refusal is one line on standard error."""
    try:
        status = cli.main(standalone_mode=False)
    except click.exceptions.Abort:
        sys.exit(130)
    except click.ClickException as error:
        click.echo(" ".join(error.format_message().split()), err=True)
        sys.exit(error.exit_code)
    sys.exit(status if isinstance(status, int) else 0)
