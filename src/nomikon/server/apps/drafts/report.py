"""What can be said about a text under work before it is saved."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any

from nomikon.core.errors import DomainError
from nomikon.core.prompts import (
    Message,
    amendments_between,
    check_messages,
    check_settings,
    clauses_of,
    column_of,
    find_tags,
    fit_columns,
    placeholder_names,
)
from nomikon.core.prompts.findings import Finding, Subject, check_prompt
from nomikon.core.trials.estimates import estimate_messages, estimate_tokens
from nomikon.server.apps.briefs.amendment_rows import changes_row
from nomikon.server.apps.briefs.facts import read_as, remarks_on
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.columns import newest_cases
from nomikon.server.apps.datasets.models import Entry
from nomikon.server.apps.datasets.versioning import State, state_of

# Beyond this a text is too long to be compared and checked with every pause in typing.
LONGEST_WATCHED = 200_000


def report_on(
    brief: Brief,
    rows: Sequence[Mapping[str, Any]],
    settings: dict[str, Any],
    parent: Version | None,
    dataset: int | None = None,
) -> dict[str, Any]:
    """Clauses, placeholders, problems and changes of a draft; never raises for bad text.

    dataset: whose columns fill the placeholders; else that of `newest_cases`.
    """
    report = _empty(brief, parent)

    def problem(error: DomainError) -> None:
        report["problems"].append(_problem(error))

    report["tokens"] = estimate_messages([str(r.get("content", "")) for r in rows])
    clean: dict[str, Any] = {}
    try:
        clean = check_settings(settings)
    except DomainError as error:
        problem(error)
        report["problems"][-1]["field"] = f"settings.{error.field}"
    try:
        messages = check_messages(rows)
        report["placeholders"] = placeholder_names(messages)
        watched = sum(len(m.content) for m in messages) <= LONGEST_WATCHED
        if watched:
            report["clauses"] = [c.__dict__ for c in clauses_of(messages)]
    except DomainError as error:
        problem(error)
        return report
    report["tags"] = [
        {"message": i, "kind": t.kind, "name": t.name, "start": t.start, "end": t.end}
        for i, m in enumerate(messages)
        for t in find_tags(m.content)
    ]
    newest = newest_cases(brief, dataset)
    columns = None if newest is None else list(newest.columns)
    if columns is not None:
        fit = fit_columns(messages, columns)
        report["unfilled"], report["unused"] = fit.unfilled, fit.unused
    if not watched:
        length = sum(len(m.content) for m in messages)
        report["problems"].append(_too_long(length))
        return report
    longest = {} if newest is None else longest_inputs(state_of(newest))
    report["findings"] = [
        {**f.__dict__, "fix": None if f.fix is None else f.fix.__dict__}
        for f in _findings(brief, messages, clean, columns, longest)
    ]
    if parent is not None:
        found = amendments_between(
            check_messages(parent.messages), messages, parent.settings, clean
        )
        report |= changes_row(found)
        report["came_from"] = [{"number": b.number, "parent": a.number} for a, b in found.pairs]
    return report


def findings_of(
    brief: Brief, messages: tuple[Message, ...], settings: dict[str, Any]
) -> list[Finding]:
    """Weak spots of a version, with what the brief tells of task, cases and scorecard."""
    newest = newest_cases(brief)
    columns = None if newest is None else list(newest.columns)
    longest = {} if newest is None else longest_inputs(state_of(newest))
    return _findings(brief, messages, settings, columns, longest)


def _findings(
    brief: Brief,
    messages: tuple[Message, ...],
    settings: dict[str, Any],
    columns: list[str] | None,
    longest: dict[str, int],
) -> list[Finding]:
    """longest: for each input the tokens of its longest value among the cases."""
    card = brief.scorecards.order_by("-number").first()
    names = placeholder_names(messages)
    used = {column_of(name, longest) for name in names}
    held = Model.objects.filter(context_length__isnull=False)
    subject = Subject(
        messages,
        settings,
        brief.task,
        None if columns is None else tuple(columns),
        measures=None if card is None else tuple(m["measure"] for m in card.document["measures"]),
        prompt_tokens=estimate_messages([m.content for m in messages])
        + sum(tokens for name, tokens in longest.items() if name in used),
        contexts={
            name: length for name, length in held.values_list("name", "context_length") if length
        },
        facts=read_as(brief, messages),
        remarks=remarks_on(brief, messages),
    )
    return check_prompt(subject, without=tuple(brief.silenced))


@lru_cache(maxsize=64)
def longest_inputs(state: State) -> dict[str, int]:
    """Tokens of each input's longest value; read once for each state of the version."""
    longest: dict[str, str] = {}
    entries = Entry.objects.filter(dataset_version=state[0])
    for inputs in entries.values_list("revision__inputs", flat=True).iterator(chunk_size=1000):
        for name, value in inputs.items():
            text = value if isinstance(value, str) else str(value)
            if len(text) > len(longest.get(name, "")):
                longest[name] = text
    return {name: estimate_tokens(text) for name, text in longest.items()}


def _message_of(field: str | None) -> int | None:
    """The message that a field such as `messages.2.content` is about."""
    parts = (field or "").split(".")
    return int(parts[1]) if len(parts) > 1 and parts[0] == "messages" else None


def _empty(brief: Brief, parent: Version | None) -> dict[str, Any]:
    return {
        "clauses": [],
        "tags": [],
        "placeholders": [],
        "unfilled": [],
        "unused": [],
        "problems": [],
        "findings": [],
        "silenced": [{"rule": r, "reason": why} for r, why in sorted(brief.silenced.items())],
        "tokens": 0,
        "parent": parent.number if parent else None,
        "amendments": [],
        "kept": 0,
        "rewritten": False,
        "came_from": [],
    }


def _problem(error: DomainError) -> dict[str, Any]:
    return {
        "field": error.field or "messages",
        "text": error.message,
        "severity": "error",
        "message": _message_of(error.field),
        "line": error.facts.get("line"),
    }


def _too_long(length: int) -> dict[str, Any]:
    return {
        "field": "messages",
        "text": f"{length:,} characters: too long to be numbered, compared and checked as you type "
        f"(up to {LONGEST_WATCHED:,}). It is kept and can be saved and sent",
        "severity": "note",
        "message": None,
        "line": None,
    }
