"""A trial without a server: from a trial file to the engine, results kept in memory and a file."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import click

from nomikon.cli.tables import RESERVED, read_cases
from nomikon.cli.telling import no_constant, read_prompt, read_text, refuse
from nomikon.core.cases.forms import ALSO_RIGHT, forms_in, read_forms
from nomikon.core.errors import DomainError
from nomikon.core.files import TrialFile, TrialModel, parse_trial_file, read_yaml
from nomikon.core.measures import read_scorecard
from nomikon.core.measures.estimates import likely_answer, twins_each
from nomikon.core.measures.twin_pairs import Twins
from nomikon.core.prompts import merge_settings, settings_in_short
from nomikon.core.prompts.used_cases import used_cases
from nomikon.core.trials import Estimate, PlannedArm, PlannedCase, estimate
from nomikon.engine.race import Left
from nomikon.engine.units import (
    RECEIVED,
    ArmSpec,
    CaseSpec,
    CellKey,
    HadOutput,
    StoredAnswer,
    TrialSpec,
    UnitResult,
)
from nomikon.models.extras import check_body_fields, check_headers
from nomikon.models.types import CHAT_COMPLETIONS, OUTPUT_LIMIT, Connection, Limits

DEFAULT_CONCURRENCY = 16


def load_trial(path: Path, keys: Mapping[str, str]) -> tuple[TrialFile, TrialSpec, Estimate]:
    """Read a trial file and all it names; whatever cannot be used is refused with its file.

    keys: the environment, to see that every key that is named is set.
    """
    try:
        file = parse_trial_file(read_text(path))
    except DomainError as error:
        refuse(path, error.message, error.facts.get("line"))
    for index, model in enumerate(file.models):
        name = model.connection.get("key_env")
        if name and not keys.get(name):
            line = file.document.line_of(["models", index, "connection", "key_env"])
            refuse(path, f"the environment variable {name} is not set", line)
        try:
            check_headers(model.connection.get("headers", {}))
            check_body_fields(model.connection.get("body_fields", {}))
        except DomainError as error:
            at: list[str | int] = ["models", index, "connection", error.field or ""]
            refuse(path, error.message, file.document.line_of(at))
    here = path.parent
    card = _scorecard(here / file.scorecard)
    cases = _cases(here / file.cases, file)
    named = _arms(path, file)
    arms = tuple(n.spec for n in named)
    file = replace(file, thresholds=_thresholds(path, file, card, named))
    spec = TrialSpec(
        key=file.name or path.stem,
        arms=arms,
        cases=cases,
        repeats=file.repeats,
        seed=file.seed,
        scorecard=card,
        concurrency=_concurrency(arms),
        budget=file.budget_nano,
        continuations=file.continuations,
        examples=_examples(arms, cases),
        # Twins are asked of the arms themselves; no other model is known here.
        judges={n: None for n, m in read_scorecard(card).asking if isinstance(m, Twins)},
    )
    return file, spec, checked(path, spec, file.models)


def _examples(arms: Sequence[ArmSpec], cases: Sequence[CaseSpec]) -> frozenset[str]:
    """Cases that one of the prompts shows as a worked example: left out for all arms."""
    inputs = {c.key: c.inputs for c in cases}
    return frozenset(key for arm in arms for key in used_cases(arm.messages, inputs))


def _scorecard(path: Path) -> Mapping[str, Any]:
    try:
        document = read_yaml(read_text(path))
    except DomainError as error:
        refuse(path, error.message, error.facts.get("line"))
    try:
        read_scorecard(document.value)
    except DomainError as error:
        steps = [int(p) if p.isdecimal() else p for p in (error.field or "").split(".")]
        refuse(path, f"{error.field}: {error.message}", document.line_of(steps))
    found: Mapping[str, Any] = document.value
    return found


def _cases(path: Path, file: TrialFile) -> tuple[CaseSpec, ...]:
    table = read_cases(path)
    if table.refused:
        # A trial on half of its cases would say something nobody asked.
        refuse(path, table.refused[0].reason, table.refused[0].line)
    if file.reference != "reference" and file.reference not in table.columns:
        refuse(path, f"there is no column {file.reference!r} for the reference", 1)
    cases: list[CaseSpec] = []
    seen: dict[str, int] = {}
    for line, row in zip(table.lines, table.rows, strict=True):
        split = str(row.get("split") or "working").strip().lower().replace(" ", "-")
        if split not in ("working", "held-out"):
            refuse(path, f"split is {split!r}; allowed are working and held-out", line)
        key = str(row["id"]) if row.get("id") not in (None, "") else str(len(seen) + 1)
        if key in seen:
            refuse(path, f"the id {key!r} stands on line {seen[key]} already", line)
        seen[key] = line
        if split != file.split:
            continue
        reference = row.get(file.reference)
        if reference is not None and not isinstance(reference, str):
            reference = json.dumps(reference, ensure_ascii=False)
        tags = row.get("tags")
        first = tags[0] if isinstance(tags, list) and tags else str(tags or "").split(";")[0]
        inputs = {k: v for k, v in row.items() if k not in (*RESERVED, file.reference)}
        forms = tuple(read_forms(forms_in(row.get(ALSO_RIGHT)), reference)) if reference else ()
        cases.append(CaseSpec(key, inputs, reference or None, str(first).strip(), forms=forms))
    if not cases:
        refuse(path, f"no case is {file.split}")
    return tuple(cases)


@dataclass(frozen=True)
class NamedArm:
    """An arm with what a threshold may name it by. prompts: the prompt's name and its file."""

    spec: ArmSpec
    prompts: tuple[str, str]


def _arms(path: Path, file: TrialFile) -> list[NamedArm]:
    arms: dict[str, NamedArm] = {}
    prompts = [(name, read_prompt(path.parent / name)) for name in file.prompts]
    names = [p.name or Path(name).stem for name, p in prompts]
    for (where, prompt), name in zip(prompts, names, strict=True):
        # Two prompts of one name are told apart by their files.
        told = name if names.count(name) == 1 else f"{name} ({where})"
        for model in file.models:
            for override in file.settings:
                settings = merge_settings(prompt.settings, override)
                key = f"{told} | {model.name} | {settings_in_short(settings)}"
                if key in arms:
                    refuse(
                        path,
                        f"two arms are both {key!r}; take one out, or name the prompts apart",
                        model.line,
                    )
                spec = ArmSpec(
                    key,
                    prompt.messages,
                    settings,
                    model.name,
                    _connection(model),
                    model.price_in_nano,
                    model.price_out_nano,
                    model.unsupported,
                )
                arms[key] = NamedArm(spec, (name, where))
    return list(arms.values())


def _connection(model: TrialModel) -> Connection:
    row = model.connection
    protocol = row.get("protocol", CHAT_COMPLETIONS)
    return Connection(
        # Models at one address share its limits.
        id=f"{protocol} {row['base_url']}",
        revision=1,
        protocol=protocol,
        base_url=row["base_url"],
        key_name=row.get("key_env"),
        call_timeout_s=row.get("call_timeout_s", 120.0),
        stall_timeout_s=row.get("stall_timeout_s", 30.0),
        limits=Limits(**{"concurrency": DEFAULT_CONCURRENCY, **row.get("limits", {})}),
        model_limits=Limits(**model.limits),
        headers=tuple(sorted(row.get("headers", {}).items())),
        body_fields=row.get("body_fields", {}),
        output_limit=row.get("output_limit", OUTPUT_LIMIT),
    )


def _concurrency(arms: Sequence[ArmSpec]) -> int:
    """Each connection has its own limit; the trial may use all of them at once."""
    used = [a.connection for a in arms if a.connection is not None]
    each = {c.id: c.limits.concurrency or DEFAULT_CONCURRENCY for c in used}
    return sum(each.values())


def checked(path: Path, spec: TrialSpec, models: Sequence[TrialModel]) -> Estimate:
    """Refuse a trial that cannot run, before a call is paid for."""
    lengths = {m.name: m.context_length for m in models}
    try:
        found = estimate(
            [
                PlannedArm(
                    a.key,
                    a.key,
                    a.messages,
                    a.settings,
                    a.price_in_nano,
                    a.price_out_nano,
                    lengths.get(a.model),
                )
                for a in spec.arms
            ],
            [PlannedCase(c.key, c.inputs, c.reference, c.stratum) for c in spec.cases],
            spec.repeats,
        )
    except DomainError as error:
        refuse(path, error.message)
    for problem in found.problems:
        if problem.severity == "error":
            refuse(path, f"{problem.arm}: {problem.text}")
    return _with_twins(found, spec)


def _with_twins(found: Estimate, spec: TrialSpec) -> Estimate:
    """The estimate with what the twins take that the scorecard has asked."""
    answers = [likely_answer(c.inputs, c.reference) for c in spec.cases]
    times = 1 + twins_each(read_scorecard(spec.scorecard), answers)
    return replace(
        found,
        calls=round(found.calls * times),
        tokens_in=round(found.tokens_in * times),
        tokens_out=round(found.tokens_out * times),
        cost=None if found.cost is None else round(found.cost * times),
    )


def _thresholds(
    path: Path, file: TrialFile, card: Mapping[str, Any], arms: Sequence[NamedArm]
) -> tuple[Mapping[str, Any], ...]:
    """The thresholds, each for every arm or for one by its key: one that names arms by what they
    have in common is one for each of them."""
    found: list[Mapping[str, Any]] = []
    names = [*read_scorecard(card).names, "total"]
    for index, row in enumerate(file.thresholds):
        if row["measure"] not in names:
            refuse(
                path,
                f"the scorecard has no {row['measure']!r}; it has {', '.join(names)}",
                file.document.line_of(["thresholds", index, "measure"]),
            )
        wanted = row.get("arm")
        if wanted is None:
            found.append(row)
            continue
        meant = [a.spec.key for a in arms if _is_meant(a, wanted)]
        if not meant:
            keys = "; ".join(a.spec.key for a in arms)
            told = repr(wanted) if isinstance(wanted, str) else f"with {_listed(wanted)}"
            refuse(
                path,
                f"there is no arm {told}; there are {keys}",
                file.document.line_of(["thresholds", index, "arm"]),
            )
        found += [{**row, "arm": key} for key in meant]
    return tuple(found)


def _is_meant(arm: NamedArm, wanted: str | Mapping[str, Any]) -> bool:
    if isinstance(wanted, str):
        return arm.spec.key == wanted
    settings = wanted.get("settings", {})
    return (
        wanted.get("prompt", arm.prompts[0]) in arm.prompts
        and wanted.get("model", arm.spec.model) == arm.spec.model
        and all(n in arm.spec.settings and arm.spec.settings[n] == v for n, v in settings.items())
    )


def _listed(wanted: Mapping[str, Any]) -> str:
    return ", ".join(f"{name} {json.dumps(value)}" for name, value in wanted.items())


class FileStore:
    """A TrialStore in memory; with a file every output is written there as it comes.

    What the file holds already is reused, so that a run that was broken off
    pays for no answer twice. A failed call holds none.
    """

    def __init__(self, spec: TrialSpec, path: Path | None = None) -> None:
        self._spec = spec
        self._path = path
        self._known: dict[str, StoredAnswer] = {} if path is None else _answers_in(path)
        self._cases = {c.key: c for c in spec.cases}
        self._numbers = {c.key: n for n, c in enumerate(spec.cases, 1)}
        self.results: list[UnitResult] = []
        self.left: list[Left] = []
        self.state = ""

    def load(self) -> TrialSpec:
        """The trial as its file has it."""
        return self._spec

    def done(self) -> set[CellKey]:
        """Nothing: what is in the file is scored anew, from its answers."""
        return set()

    def generations(self) -> Mapping[CellKey, int]:
        """None: a fresh answer is had by another file."""
        return {}

    def unjudged(self) -> Mapping[CellKey, HadOutput]:
        """None: every output is had again from the file's answers, its judgements with it."""
        return {}

    def known(self, keys: Sequence[str]) -> dict[str, StoredAnswer]:
        """Answers that the file holds."""
        return {k: self._known[k] for k in keys if k in self._known}

    def save(self, results: Sequence[UnitResult]) -> None:
        """Keep results, and add them to the file, each line whole."""
        self.results += results
        if self._path is not None:
            # What the file has given is in it already.
            new = [r for r in results if any(c.reused_from is None for c in r.calls)]
            text = "".join(json.dumps(self._row(r), ensure_ascii=False) + "\n" for r in new)
            with self._path.open("a", encoding="utf-8") as file:
                file.write(text)

    def totals(self, cases: Sequence[str]) -> Mapping[CellKey, float | None]:
        """Totals of what has come in for these cases."""
        wanted = set(cases)
        return {
            (r.arm_key, r.case_key, r.repeat): r.total for r in self.results if r.case_key in wanted
        }

    def drop(self, left: Sequence[Left]) -> None:
        """Remember which arms left a race."""
        self.left += left

    def asked(self) -> str | None:
        """Nobody asks a headless trial anything; Ctrl-C ends it."""
        return None

    def finish(self, state: str) -> str:
        """Remember how it ended."""
        self.state = state
        return state

    def _row(self, r: UnitResult) -> dict[str, Any]:
        case = self._cases[r.case_key]
        return {
            "case": self._numbers[r.case_key],
            "id": r.case_key,
            "arm": r.arm_key,
            "repeat": r.repeat,
            "output": r.text,
            "reference": case.reference,
            **({ALSO_RIGHT: list(case.forms)} if case.forms else {}),
            "inputs": dict(case.inputs),
            "outcome": r.outcome,
            "why": r.why,
            "suspected": r.suspected,
            "reasoning": r.reasoning,
            "failure": r.failure,
            "finish_reason": r.finish_reason,
            "scores": {n: s.value for n, s in r.scores.items()},
            "total": r.total,
            "calls": [
                {
                    "key": c.answer_key,
                    "request": dict(c.request),
                    **{WRITTEN.get(n, n): v for n, v in c.received().items()},
                    "reused": c.shared or c.reused_from is not None,
                }
                for c in r.calls
            ],
        }


# What a field is called in an outputs file, where not by its own name.
WRITTEN = {"cost": "cost_nano", "model_identity": "model"}


def _answers_in(path: Path) -> dict[str, StoredAnswer]:
    """Answers by key from the lines of an outputs file; a last line broken off is passed over."""
    if not path.exists():
        return {}
    found: dict[str, StoredAnswer] = {}
    lines = read_text(path).split("\n")
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        try:
            calls = json.loads(line, parse_constant=no_constant)["calls"]
            for c in calls:
                if c["tokens_out"] is None:
                    continue
                # Files from before all of these were kept have some of them.
                had = {n: c[w] for n in RECEIVED if (w := WRITTEN.get(n, n)) in c}
                had["tool_calls"] = tuple((n, a) for n, a in c.get("tool_calls", ()))
                found[c["key"]] = StoredAnswer(number, **had)
        except (ValueError, KeyError, TypeError) as error:
            if number == len(lines):
                # The run that wrote it was killed in the middle of a line.
                click.echo(f"{path}:{number}: the last line is broken off; left out", err=True)
                break
            raise refuse(path, f"not an output of `nomikon run`: {error}", number) from error
    return found
