"""Answers that are no answers: cut, declined, empty."""

from __future__ import annotations

import re
from dataclasses import dataclass

ANSWERED, CUT, DECLINED, EMPTY, FAILED = "answered", "cut", "declined", "empty", "failed"
OUTCOMES = (ANSWERED, CUT, DECLINED, EMPTY, FAILED)

# Refusals speak of themselves in the first words of an answer. Anchored there,
# so that a letter that says "we cannot promise" further down is no refusal.
_REFUSALS = re.compile(
    r"^\W*(?:(?:i['’]?m|i am) (?:very |so |really )?(?:sorry|afraid)\b[^.!?\n]{0,60}?\b(?:but )?i"
    r" (?:can(?:not|['’]t)|am (?:not able|unable)|won['’]t)"
    r"|sorry,? (?:but )?i (?:can(?:not|['’]t)|am (?:not able|unable)|won['’]t)"
    r"|i (?:can(?:not|['’]t)|won['’]t|am (?:not able|unable) to) "
    r"(?:help|assist|comply|answer|do that|provide|fulfil|process|respond|continue)"
    r"|i must (?:decline|refuse)|i (?:have to|need to) decline"
    r"|as an ai\b[^.!?\n]{0,60}\bi (?:can(?:not|['’]t)|am (?:not able|unable)))",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Outcome:
    """What became of a call: the kind, and the words or reason it was told by."""

    kind: str
    why: str = ""


def outcome_of(text: str, finish_reason: str | None) -> Outcome:
    """Tell an answer from what only looks like one.

    finish_reason: as the server reported it; `length` means the output limit
    cut the answer off, `content_filter` that the server declined.
    """
    if finish_reason == "content_filter":
        return Outcome(DECLINED, "the server's own filter declined")
    if not text.strip():
        return Outcome(EMPTY, "the answer holds nothing but blanks")
    if finish_reason == "length":
        return Outcome(CUT, "the answer reached the output limit")
    if refusal := _REFUSALS.search(text):
        return Outcome(DECLINED, f"begins with “{refusal.group(0).strip()[:80]}”")
    return Outcome(ANSWERED)
