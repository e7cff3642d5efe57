"""Answers that are no answers: cut, declined, empty."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
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


# A sentence does not end in one of these.
DANGLING = frozenset(
    "a an and as at because but by for from if in into is of on or that the their this to was "
    "were when which while who will with your".split()
)
# Shorter answers (a label, a name, a subject line) need no full stop, nor does
# a closing line such as "Kind regards,".
_SHORTEST_PROSE = 12
_SHORTEST_LAST_LINE = 4
# The same where it stands on the last line of the letter with something before it.
_CLOSING = re.compile(
    r"(?:^|[.!?\n]\s*)(?:(?:with|many|all)\s+)?(?:\w+\s+){0,2}"
    r"(?:regards|wishes|thanks|sincerely|faithfully|truly|respectfully|greetings),$",
    re.IGNORECASE,
)
_FENCE = re.compile(r"^\s*(```+|~~~+)", re.MULTILINE)


def mid_sentence(text: str) -> str:
    """Why an answer seems to break off before its end; "" where it does not.

    Told only by what cannot be an end: a structure left open, or a last word or
    mark that asks for more. A missing full stop alone is no sign.
    """
    body = text.strip()
    fences = _FENCE.findall(body)
    if len(fences) % 2:
        return "a fenced block is left open"
    if body[:1] in ("{", "[") and not fences and _open_brackets(body):
        return "the JSON is not closed"
    words = body.split()
    last_line = body.rsplit("\n", 1)[-1].split()
    if len(words) < _SHORTEST_PROSE or len(last_line) < _SHORTEST_LAST_LINE:
        return ""
    if _CLOSING.search(body):
        return ""
    if body[-1] in ",;(“‘":
        return f"ends with “{body[-1]}”"
    if words[-1] in DANGLING:
        return f"ends with “{words[-1]}”"
    return ""


def _open_brackets(text: str) -> bool:
    """Whether a text that begins like JSON ends with brackets still open."""
    try:
        json.loads(text)
    except (ValueError, RecursionError):
        bare = re.sub(r'"(?:[^"\\]|\\.)*("|$)', "", text, flags=re.DOTALL)
        return bare.count("{") + bare.count("[") > bare.count("}") + bare.count("]")
    return False


def outcome_of(text: str, finish_reason: str | None, stops: Sequence[str] = ()) -> Outcome:
    """Tell an answer from what only looks like one.

    finish_reason: as the server reported it; `length` means the output limit
    cut the answer off, `content_filter` that the server declined. stops: the
    stop sequences asked for; an answer that ends at one may end anywhere.
    """
    if finish_reason == "content_filter":
        return Outcome(DECLINED, "the server's own filter declined")
    if not text.strip():
        return Outcome(EMPTY, "the answer holds nothing but blanks")
    if finish_reason == "length":
        return Outcome(CUT, "the answer reached the output limit")
    if refusal := _REFUSALS.search(text):
        return Outcome(DECLINED, f"begins with “{refusal.group(0).strip()[:80]}”")
    if not stops and (sign := mid_sentence(text)):
        return Outcome(CUT, f"breaks off: {sign}")
    return Outcome(ANSWERED)
