"""What a text under work is read to ask for, and which of it the scorecard checks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nomikon.core.errors import PromptError
from nomikon.core.measures.first_card import first_card
from nomikon.core.measures.unseen import unseen_of
from nomikon.core.prompts import check_messages
from nomikon.core.prompts.tenor import Tenor, read_tenor
from nomikon.core.prompts.tenor.checks import Check, checks_of, is_measured, unstated
from nomikon.core.prompts.tenor.conflicts import in_words
from nomikon.core.prompts.tenor.shape import (
    MODEL,
    MUST,
    MUST_NOT,
    NEVER,
    NO_CHARACTERS,
    NO_STOP,
    Said,
    Sign,
    Words,
)
from nomikon.server.apps.briefs.facts import read_as, said_of
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.columns import newest_cases
from nomikon.server.apps.datasets.models import WORKING
from nomikon.server.apps.drafts.reads import (
    ProposedMeasureShape,
    ReadFact,
    ReadLine,
    TenorShape,
)
from nomikon.server.typed import copied

# So much of a clause is told on a line.
LONGEST = 160


def reading_of(
    brief: Brief, rows: Sequence[Mapping[str, Any]], settings: Mapping[str, Any]
) -> TenorShape:
    """The tenor as lines, each with its place and the check it calls for. Raises DomainError."""
    messages = check_messages(rows)
    facts = read_as(brief, messages)
    tenor = read_tenor(messages, settings, brief.task, facts=facts)
    card = brief.scorecards.order_by("-number").first()
    entries = card.document["measures"] if card else []
    checks = checks_of(tenor)
    lines = [*_named(tenor), *_inputs(tenor), *_output(tenor, checks, entries)]
    lines += _limits(tenor, checks, entries)
    lines += _signs(tenor, checks, entries)
    told = {x.words.clause for x in tenor.limits} | {x.words.clause for x in tenor.signs}
    # The clause that fixes the form is told as the answer's.
    told |= {tenor.output.words.clause} if tenor.output.words else set()
    lines += [
        _line(r.polarity, _with_instead(r), r.words)
        for r in tenor.rules
        if r.words.clause not in told
    ]
    lines += [_line("example", f"{e.input} → {e.output}", e.words) for e in tenor.examples]
    if tenor.cue:
        lines.append(_line("cue", tenor.cue.text, tenor.cue))
    lines += [_line("language", c.says, None, c, entries) for c in checks if c.words is None]
    for line in lines:
        if line["source"] == MODEL and line["message"] is not None:
            said = messages[line["message"]].content[line["start"] : line["end"]]
            fact = next((f for f in facts if f.source == MODEL and f.text == said), None)
            line["fact"] = fact.as_plain() if fact else None
    return {
        "language": tenor.language,
        "lines": lines,
        "unstated": unstated(tenor, entries),
        "unseen": unseen_of(card.document, messages, facts) if card else [],
        "scorecard": card.pk if card else None,
        "facts": [copied(ReadFact, f.as_plain()) for f in said_of(brief)],
    }


def proposed_card(brief: Brief) -> list[ProposedMeasureShape]:
    """The first scorecard that prompt and references call for; working cases alone are looked at."""
    newest = brief.versions.order_by("-number").first()
    rows = newest.messages if newest else [{"role": "user", "content": brief.job or " "}]
    cases = newest_cases(brief)
    told = (
        cases.entries.filter(split=WORKING).values_list("revision__reference", flat=True)
        if cases
        else []
    )
    try:
        messages = check_messages(rows)
    except PromptError:
        # Nothing is written yet.
        messages = ()
    settings = newest.settings if newest else {}
    facts = read_as(brief, messages)
    tenor = read_tenor(messages, settings, brief.task, facts=facts)
    return [
        {"measure": dict(p.measure), "why": p.why}
        for p in first_card(tenor, [r for r in told if r])
    ]


def _named(tenor: Tenor) -> list[ReadLine]:
    named = {"task": tenor.task, "role": tenor.role, "audience": tenor.audience, "tone": tenor.tone}
    return [_line(part, words.text, words) for part, words in named.items() if words]


def _inputs(tenor: Tenor) -> list[ReadLine]:
    return [
        _line(
            "input",
            f"{x.name}, between {' and '.join(x.marks)}" if any(x.marks) else x.name,
            x.words,
        )
        for x in tenor.inputs
    ]


def _output(
    tenor: Tenor, checks: Sequence[Check], entries: Sequence[Mapping[str, Any]]
) -> list[ReadLine]:
    output = tenor.output
    if not output.form:
        return []
    words = output.words or (output.labels[0].words if output.labels else None)
    check = next((c for c in checks if c.words is not None and c.words == words), None)
    names = (
        [k.name for k in output.keys] or list(output.columns) or [x.label for x in output.labels]
    )
    says = output.form + (f": {', '.join(names)}" if names else "")
    return [_line("output", says, words, check, entries)]


def _limits(
    tenor: Tenor, checks: Sequence[Check], entries: Sequence[Mapping[str, Any]]
) -> list[ReadLine]:
    by_words = {c.words: c for c in checks}
    return [
        _line("limit", in_words(x), x.words, by_words.get(x.words), entries) for x in tenor.limits
    ]


def _signs(
    tenor: Tenor, checks: Sequence[Check], entries: Sequence[Mapping[str, Any]]
) -> list[ReadLine]:
    """Rules about words, signs and places, told as what is checked of them."""
    clauses = {x.words.clause: x for x in tenor.signs}
    return [
        _line(MUST_NOT if _forbids(clauses[c.words.clause]) else MUST, c.says, c.words, c, entries)
        for c in checks
        if c.words and c.words.clause in clauses and c.words == clauses[c.words.clause].words
    ]


def _with_instead(rule: Said) -> str:
    apart = rule.instead is not None and rule.instead.clause != rule.words.clause
    return f"{rule.words.text} → {rule.instead.text}" if apart and rule.instead else rule.words.text


def _forbids(sign: Sign) -> bool:
    return sign.absent or sign.kind in (NEVER, NO_STOP, NO_CHARACTERS)


def _line(
    part: str,
    says: str,
    words: Words | None,
    check: Check | None = None,
    entries: Sequence[Mapping[str, Any]] = (),
) -> ReadLine:
    short = " ".join(says.split())
    return {
        "part": part,
        "says": short if len(short) <= LONGEST else f"{short[: LONGEST - 1]}…",
        "message": words.message if words else None,
        "clause": words.clause if words else None,
        "start": words.start if words else 0,
        "end": words.end if words else 0,
        "source": words.source if words else "rule",
        "check": dict(check.measure) if check else None,
        "measured": check is not None and is_measured(check, entries),
        "fact": None,
    }
