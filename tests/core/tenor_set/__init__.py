"""Prompts to hold the reading of prompts against: one half worked with, one half only reported on.

Each is (language, text, planted) with planted a list of (kind of flaw, words of its clause); sound
prompts have none. Both halves were written before the code that reads them.
"""

from typing import Any

from nomikon.core.prompts import Message
from nomikon.core.prompts.findings import NOTE, Finding, Subject, check_prompt


def rates(half: Any) -> tuple[int, int, list[str]]:
    """Flaws seen above a note at their clause, how many there are, and alarms on sound prompts."""
    seen = planted = 0
    for _, text, flaws in half.FLAWED:
        subject = Subject((Message("user", text),))
        found = [f for f in check_prompt(subject) if f.severity != NOTE]
        for _, quote in flaws:
            planted += 1
            at = text.rindex(quote)
            clause = next((c.number for c in subject.clauses if c.start <= at < c.end), None)
            seen += any(_is_at(f, clause, at, at + len(quote)) for f in found)
    alarms = [
        f"{f.rule}: {text[:40]}"
        for _, text in half.SOUND
        for f in check_prompt(Subject((Message("user", text),)))
        if f.severity != NOTE
    ]
    return seen, planted, alarms


def _is_at(found: Finding, clause: int | None, start: int, end: int) -> bool:
    return found.message == 0 and (
        found.clause == clause or (found.start < end and found.end > start)
    )
