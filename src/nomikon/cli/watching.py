"""`nomikon watch`: run a trial file again and say whether its arms drifted from what was kept."""

from __future__ import annotations

import asyncio
import hashlib
import json
import os
from pathlib import Path
from typing import Any

import click

from nomikon.cli.headless import FileStore, load_trial
from nomikon.cli.running import run_store
from nomikon.cli.telling import AMISS, FILE, Unusable, answer_with, ask_json, read_json, refuse
from nomikon.core.errors import DomainError
from nomikon.core.measures import read_scorecard
from nomikon.core.results import values_by_case, watched_in
from nomikon.core.stats.drift import COST, SCORE, TIME, TWINS, WATCHED, Drift, drift, fewest_cases
from nomikon.core.trials import COMPLETE
from nomikon.core.trials.estimates import NANO
from nomikon.engine.results import results_table
from nomikon.engine.units import TrialSpec, UnitResult

KIND = "watch/1"
Values = dict[str, dict[str, dict[str, Any]]]


@click.command("watch")
@click.argument("file", type=FILE)
@click.option("--kept", type=FILE, required=True, help="the first run's figures; made if not there")
@click.option(
    "--planned",
    type=click.IntRange(1, 10_000),
    default=12,
    show_default=True,
    help="checks that share the 5 % of false alarms; fixed with the first run",
)
@ask_json
@click.pass_context
def watch_command(
    context: click.Context, file: Path, kept: Path, planned: int, as_json: bool
) -> None:
    """Run a trial file anew and hold every arm's score, cost and time to what was kept at first.

    The first run makes the file of what is kept; each later one is a check against it.
    """
    _, spec, figures = load_trial(file, os.environ)
    former = _read(kept) if kept.exists() else None
    if former is not None and former["checks"] >= former["planned"]:
        refuse(
            kept,
            f"all {former['planned']} planned checks are used: more would raise false alarms; "
            "keep another file",
        )
    fewest = fewest_cases(planned, len(watched_in(read_scorecard(spec.scorecard))))
    if former is None and len(spec.cases) < fewest:
        refuse(
            file,
            f"{len(spec.cases)} cases and {planned} checks: no change could ever raise an alarm, "
            f"however great; {planned} checks need {fewest} cases at least",
        )
    store = FileStore(spec, None)
    try:
        asyncio.run(run_store(store, os.environ.get("NOMIKON_CLUSTER"), figures.outputs))
    except DomainError as error:
        raise Unusable(error.message) from error
    now = _values(spec, store.results)
    if former is None:
        document = {"nomikon": KIND, "planned": planned, "checks": 0, "arms": now}
        rows: list[dict[str, Any]] = [{"arm": a, "n_cases": len(own)} for a, own in now.items()]
    else:
        document = {**former, "checks": former["checks"] + 1}
        rows = [_row(arm, former, now) for arm in now]
    # What was had of a broken run is no check and nothing to compare with.
    whole = store.state == COMPLETE
    if whole:
        _write(kept, document)
    told = {
        "trial": spec.key,
        "state": store.state,
        "check": document["checks"],
        "planned": document["planned"],
        "kept": str(kept),
        "arms": rows,
    }
    answer_with(told, as_json, [_line(r, former is None) for r in rows])
    if not whole or any(r.get("drifted") for r in rows):
        context.exit(AMISS)


def _read(path: Path) -> dict[str, Any]:
    found = read_json(path)
    if not isinstance(found, dict) or found.get("nomikon") != KIND:
        refuse(path, f"this is no file of a watch; it begins with nomikon: {KIND}")
    for name, kind in (("planned", int), ("checks", int), ("arms", dict)):
        if not isinstance(found.get(name), kind) or isinstance(found.get(name), bool):
            refuse(path, f"{name} is missing or of the wrong kind")
    return found


def _write(path: Path, document: dict[str, Any]) -> None:
    beside = path.with_name(path.name + ".new")
    try:
        # Whole or not at all: what was kept first is the only copy.
        beside.write_text(json.dumps(document, ensure_ascii=False, indent=1), encoding="utf-8")
        beside.replace(path)
    except OSError as error:
        raise Unusable(f"{path}: cannot be written: {error.strerror}") from error


def _values(spec: TrialSpec, results: list[UnitResult]) -> Values:
    """By arm and case: mean score, cost and time over repeats, None with a gap; and what the case is."""
    marks = {
        c.key: hashlib.sha256(
            json.dumps([c.inputs, c.reference], sort_keys=True, default=str).encode()
        ).hexdigest()[:16]
        for c in spec.cases
    }
    table = results_table(spec, results, complete=True)
    found: Values = {}
    for arm in spec.arms:
        values = values_by_case(table, arm.key)
        cases = {table.cases[c] for c in table.case[table.arm == table.arms.index(arm.key)]}
        found[arm.key] = {
            c: {
                "case": marks[c],
                "score": values[SCORE].get(c),
                "cost": values[COST][c] / NANO if c in values[COST] else None,
                "time": values[TIME].get(c),
                **({TWINS: values[TWINS].get(c)} if TWINS in values else {}),
            }
            for c in table.cases
            if c in cases
        }
    return found


def _row(arm: str, former: dict[str, Any], now: Values) -> dict[str, Any]:
    before = former["arms"].get(arm, {})
    same = [c for c, own in now[arm].items() if before.get(c, {}).get("case") == own["case"]]
    # A file from before twins were asked has none to compare with.
    names = (*WATCHED, TWINS) if any(TWINS in before[c] for c in same) else WATCHED
    found = {
        name: drift(
            {c: before[c][name] for c in same if before[c].get(name) is not None},
            {c: now[arm][c][name] for c in same if now[arm][c].get(name) is not None},
            planned=former["planned"],
            things=len(names),
            what=name,
        )
        for name in names
    }
    return {
        "arm": arm,
        "n_cases": len(same),
        "changed_cases": len(now[arm]) - len(same),
        **{name: d.__dict__ for name, d in found.items()},
        "drifted": any(d.drifted for d in found.values()),
    }


def _line(row: dict[str, Any], first: bool) -> str:
    if first:
        return f"{row['arm']}: {row['n_cases']} cases kept to compare with"
    left = f", {row['changed_cases']} cases changed" if row["changed_cases"] else ""
    told = "; ".join(_told(name, row[name]) for name in (*WATCHED, TWINS) if name in row)
    return f"{row['arm']}: {told}{left}"


def _told(name: str, d: dict[str, Any]) -> str:
    found = Drift(**d)
    if found.change is None or found.p is None:
        return f"{name} {found.why_null}"
    word = "drifted" if found.drifted else "no drift shown"
    return (
        f"{name} {found.before:.6g} before, {found.now:.6g} now, {word} (p {found.p:.4f}, held to "
        f"{found.level:.4f})"
    )
