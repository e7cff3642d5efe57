"""Whether an answer has the form that its own prompt asks for, as far as rules can read it.

A quick look while drafting; a trial's scores come from the scorecard alone.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from nomikon.core.measures.length import UNITS
from nomikon.core.prompts.findings.base import Subject
from nomikon.core.prompts.findings.examples import listed_labels
from nomikon.core.prompts.findings.form import limits_in
from nomikon.core.prompts.messages import Message

_ONE_JSON = re.compile(r"\bjson\b(?:[^.\n]*\b(?:object|keys?)\b)?", re.IGNORECASE)
_KEYS = re.compile(r"\bkeys?\s+((?:\"?\w+\"?,\s*)*\"?\w+\"?(?:,?\s+and\s+\"?\w+\"?)?)")
_NOT = re.compile(r"\b(?:no|not|never|without|instead of)\s+(?:\w+\s+)?$", re.IGNORECASE)
_NO_KEYS = {"and", "or", "nothing", "else", "in", "with", "for", "of", "below", "the", "a"}
_MOST = (
    "at most",
    "no more than",
    "up to",
    "maximum",
    "max",
    "under",
    "within",
    "exactly",
    "limit",
)


@dataclass(frozen=True)
class FormCheck:
    """One thing the prompt asks of the form: what, whether it holds, and why not."""

    what: str
    ok: bool
    why: str


def check_form(messages: Sequence[Message], answer: str) -> list[FormCheck]:
    """The checks that the prompt's own words call for; empty where none is found.

    Read are the messages of the last step: a JSON object with named keys, one
    of the listed labels alone, and limits of length for the whole answer.
    """
    last = next((m.step for m in reversed(messages) if m.step is not None), None)
    own = tuple(m for m in messages if m.step in (None, last))
    subject = Subject(own, task="classify")
    return [*_json(subject, answer), *_label(subject, answer), *_lengths(subject, answer)]


def _json(subject: Subject, answer: str) -> Iterator[FormCheck]:
    for clause in subject.instructions:
        match = _ONE_JSON.search(clause.text)
        if match is None or _NOT.search(clause.text[: match.start()]):
            continue
        try:
            found = json.loads(answer)
        except ValueError as error:
            yield FormCheck("JSON", False, f"not JSON: {error}")
            return
        keys = _keys_in(clause.text)
        if keys and isinstance(found, dict):
            lacking = [k for k in keys if k not in found]
            more = [k for k in found if k not in keys]
            parts = [f"without {', '.join(lacking)}"] if lacking else []
            parts += [f"with {', '.join(more)} besides"] if more else []
            yield FormCheck(f"JSON with {', '.join(keys)}", not parts, "; ".join(parts))
        else:
            yield FormCheck("JSON", True, "")
        return


def _keys_in(text: str) -> list[str]:
    match = _KEYS.search(text)
    if match is None:
        return []
    words = re.findall(r"\w+", match.group(1))
    return [w for w in words if w.lower() not in _NO_KEYS]


def _label(subject: Subject, answer: str) -> Iterator[FormCheck]:
    labels = listed_labels(subject)
    if not labels or re.search(r"\bjson\b|\bkeys?\b", subject.wording):
        return
    given = answer.strip().strip("\"'“”.").lower()
    yield FormCheck(
        "one of the labels", given in labels, "" if given in labels else f"“{answer.strip()[:40]}”"
    )


def _lengths(subject: Subject, answer: str) -> Iterator[FormCheck]:
    for clause in subject.instructions:
        # A limit of a part ("each line", "a title of") says nothing of the whole.
        if re.search(r"\b(?:each|every|per|title|subject|headline|line of)\b", clause.text, re.I):
            continue
        for match, most, unit in limits_in(clause.text):
            counted = UNITS.get(f"{unit}s")
            asked = match.group(1).lower().rstrip(".")
            if counted is None or not asked.startswith(_MOST):
                continue
            length = counted(answer)
            exact = asked == "exactly"
            under = asked in ("under", "fewer than", "less than")
            ok = length == most if exact else length < most if under else length <= most
            units = f"{unit}s" if most != 1 else unit
            yield FormCheck(
                f"{asked} {most} {units}", ok, "" if ok else f"{length} {unit}{'s' * (length != 1)}"
            )
