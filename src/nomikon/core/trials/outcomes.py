"""Answers that are no answers: cut, declined, empty. Told for sure, or only looking like it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from nomikon.core.replies.refusals import refusal_of
from nomikon.core.trials.breaking_off import DANGLING, breaks_off

ANSWERED, CUT, DECLINED, EMPTY, FAILED = "answered", "cut", "declined", "empty", "failed"
OUTCOMES = (ANSWERED, CUT, DECLINED, EMPTY, FAILED)

__all__ = ["ANSWERED", "CUT", "DANGLING", "DECLINED", "EMPTY", "FAILED", "OUTCOMES", "Outcome"]


# How servers put it that they declined, and that the output limit cut the answer.
_DECLINES = (
    "content_filter",
    "content-filter",
    "safety",
    "refusal",
    "blocked",
    "prohibited_content",
)
_LIMITS = ("length", "max_tokens", "max_length", "max_output_tokens", "token_limit")


@dataclass(frozen=True)
class Outcome:
    """What became of a call: the kind, and the words or reason it was told by.

    suspected: what an answer only looks like; it is scored as the answer it may be, until a
    person decides. "" where nothing is in doubt.
    """

    kind: str
    why: str = ""
    suspected: str = ""

    @property
    def sure(self) -> bool:
        """Whether nothing is in doubt."""
        return not self.suspected


def outcome_of(
    text: str,
    finish_reason: str | None,
    stops: Sequence[str] = (),
    *,
    refusal: str = "",
    tools: Sequence[str] = (),
    reasoned: bool = False,
) -> Outcome:
    """Tell an answer from what only looks like one.

    What the server says goes first: finish_reason as reported (`length`: the output limit cut
    the answer, `content_filter`: the server declined), a refusal in a field of its own, tools that
    were called. Then the text is weighed. stops: the stop sequences asked for; an answer that
    ends at one may end anywhere. reasoned: there was reasoning beside the text.
    """
    finish = (finish_reason or "").casefold()
    blank = not re.search(r"\w", text) and not re.search(
        r"[^\s`~*_#>.…\"'“”\u200b\u200c\u200d\ufeff-]", text
    )
    if finish in _DECLINES:
        return Outcome(DECLINED, "the server's own filter declined")
    if refusal.strip() and blank:
        return Outcome(DECLINED, f"the server says that it refuses: “{_short(refusal)}”")
    if blank and tools:
        return Outcome(EMPTY, f"it calls {_and(tools)} in place of an answer")
    if blank and reasoned:
        if finish in _LIMITS:
            return Outcome(CUT, "the output limit was reached before its reasoning ended")
        return Outcome(EMPTY, "there is reasoning, and no answer after it")
    if blank and finish in ("tool_calls", "tool_call", "function_call", "tool_use"):
        return Outcome(EMPTY, "it calls a tool in place of an answer")
    if blank:
        return Outcome(EMPTY, "the answer holds nothing but blanks and marks")
    if finish in _LIMITS:
        return Outcome(CUT, "the answer reached the output limit")
    if declined := refusal_of(text):
        return (
            Outcome(DECLINED, declined.why) if declined.sure else _doubtful(DECLINED, declined.why)
        )
    if not stops and (cut := breaks_off(text, ended=finish_reason is not None)):
        why = f"breaks off: {cut.why}"
        return Outcome(CUT, why) if cut.sure else _doubtful(CUT, why)
    return Outcome(ANSWERED)


def _doubtful(kind: str, why: str) -> Outcome:
    return Outcome(ANSWERED, why, kind)


def _short(text: str) -> str:
    return " ".join(text.split())[:80]


def _and(names: Sequence[str]) -> str:
    return ", ".join(n or "a tool without a name" for n in names)
