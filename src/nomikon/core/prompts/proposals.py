"""Proposed amendments as data: read from a model's reply, checked one by one, applied to a text.

A proposal names one clause of a version. What cannot stand is refused with its
reason and the others are kept; what is merely untidy is put in order.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from nomikon.core.errors import AmendmentError, DomainError
from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import placeholder_names
from nomikon.core.prompts.whole_prompt import (
    UNTOLD,
    WHOLE,
    changes_to,
    double_braces,
    whole_prompt_of,
)
from nomikon.core.replies import ReplyError, kind_of, pick, rows_of, text_of, whole_number

ADD, AMEND, STRIKE = "add", "amend", "strike"
PROPOSED_KINDS = (ADD, AMEND, STRIKE)
MOST = 40
_MARKER = re.compile(r"^\s*(?:[-*+•]|\d{1,3}[.)])\s+")
_FENCE = re.compile(r"^[ \t]*(?:`{3,}|~{3,})", re.M)
# Clauses that stand on a line of their own, so that what is added after them does too.
_LINES = ("heading", "list-item", "fenced", "quoted", "example")


@dataclass(frozen=True)
class Proposal:
    """One proposed change. clause: the one it changes, or after which it adds (0: before all).

    text: as it shall read, "" for strike. fault: the place from 1 of the fault it
    answers, None where it names none. repaired: what was put in order, in words.
    """

    id: str
    kind: str
    clause: int
    text: str
    reason: str
    fault: int | None = None
    repaired: str = ""


@dataclass(frozen=True)
class ReadProposals:
    """What a reply held. refused: by place from 1, what is wrong with it."""

    proposals: list[Proposal]
    refused: list[tuple[int, str]] = field(default_factory=list)
    repaired: list[str] = field(default_factory=list)
    passed_over: list[str] = field(default_factory=list)


_KIND_WORDS = {
    ADD: ("insert", "append", "new", "addition", "create", "adding", "insertion"),
    AMEND: ("change", "replace", "modify", "edit", "rewrite", "update", "reword", "revise", "amended",
            "rephrase", "shorten", "replacement", "modification"),
    STRIKE: ("delete", "remove", "drop", "cut", "omit", "struck", "deletion", "removal"),
}  # fmt: skip
_KIND = ("kind", "type", "action", "change", "operation", "op")
_CLAUSE = ("clause", "number", "clause_number", "no", "target", "position", "after", "after_clause")
_TEXT = ("text", "new_text", "wording", "content", "replacement", "new", "new_clause")


def read_proposals(
    text: str, messages: Sequence[Message], n_faults: int, columns: Collection[str] = ()
) -> ReadProposals:
    """Proposals from a model's reply, each checked against the version and those before it.

    columns: what cases fill, where that is known. A whole prompt in place of changes is laid
    beside the version, and what differs is read as amendments. Raises AmendmentError where the
    whole cannot be read.
    """
    names = {*placeholder_names(messages), *columns}
    whole = None
    try:
        found = rows_of(text, "amendments", ("changes", "proposals", "edits"), (_KIND, _CLAUSE))
        rows, repaired, passed = found.value, list(found.repaired), list(found.passed_over)
        if not any(isinstance(r, dict) and pick(r, *_KIND) for r in rows):
            whole = _by_whole(text, messages, names) if rows else None
    except ReplyError as error:
        rows, repaired, passed = [], [], []
        whole = None if error.kind == "cut" else _by_whole(text, messages, names)
        if whole is None:
            raise AmendmentError(str(error), field="text") from error
    if whole is not None:
        rows = whole
        repaired.append("a whole prompt came back; what differs was read as amendments")
    taken: list[Proposal] = []
    refused: list[tuple[int, str]] = []
    for place, row in enumerate(rows, 1):
        try:
            if len(taken) >= MOST:
                raise AmendmentError(f"more than {MOST} proposals; the rest is left")
            made = _read_one(row, f"p{place}", messages, n_faults, names)
            check_proposal(made, messages, taken, columns)
        except DomainError as error:
            refused.append((place, error.message))
        else:
            taken.append(made)
    repaired += [p.repaired for p in taken if p.repaired and p.repaired not in repaired]
    return ReadProposals(taken, refused, repaired, passed)


def _by_whole(
    reply: str, messages: Sequence[Message], names: Collection[str]
) -> list[dict[str, Any]] | None:
    whole = whole_prompt_of(reply, names)
    changes = None if whole is None else changes_to(messages, whole)
    if changes is None:
        return None
    return [
        {"kind": kind, "clause": number, "text": text, "reason": WHOLE}
        for kind, number, text in changes
    ]


def _read_one(
    row: Any, name: str, messages: Sequence[Message], n_faults: int, names: Collection[str]
) -> Proposal:
    if not isinstance(row, dict):
        raise AmendmentError("not an object")
    said_kind = pick(row, *_KIND)
    kind = kind_of(said_kind, _KIND_WORDS)
    if kind is None:
        raise AmendmentError(f"{said_kind!r} is no kind; allowed are {', '.join(PROPOSED_KINDS)}")
    number = whole_number(pick(row, *_CLAUSE))
    if number is None or number < 0:
        raise AmendmentError(f"{pick(row, *_CLAUSE)!r} names no clause")
    held = pick(row, *_TEXT)
    text = text_of(held)
    if held not in (None, "", []) and not text:
        raise AmendmentError("its text is no text")
    text, holes = double_braces(text, names)
    reason = " ".join(text_of(pick(row, "reason", "why", "because", "rationale")).split())
    fault = whole_number(pick(row, "fault", "answers", "fault_number"))
    answered = fault if fault is not None and 1 <= fault <= n_faults else None
    told = f"single braces around {', '.join(holes)} were doubled" if holes else ""
    if not reason:
        told = told or "a reason was missing"
    made = Proposal(name, kind, number, text.strip("\n"), reason or UNTOLD, answered, told)
    return _in_order(made, messages)


def _in_order(proposal: Proposal, messages: Sequence[Message]) -> Proposal:
    """A list item keeps its mark; a text for a strike is left out."""
    if proposal.kind == STRIKE:
        return replace(proposal, text="")
    clause = _clause(messages, proposal.clause) if proposal.clause else None
    if clause is None or clause.kind != "list-item":
        return proposal
    mark = _MARKER.match(clause.text)
    if mark and proposal.text.strip() and not _MARKER.match(proposal.text):
        told = "the mark of a list item was put before it"
        return replace(proposal, text=mark.group() + proposal.text.lstrip(), repaired=told)
    return proposal


def _clause(messages: Sequence[Message], number: int) -> Clause:
    found = clauses_of(messages)
    if not 1 <= number <= len(found):
        raise AmendmentError(
            f"there is no clause §{number}; this version has {len(found)}", field="clause"
        )
    return found[number - 1]


def check_proposal(
    proposal: Proposal,
    messages: Sequence[Message],
    beside: Collection[Proposal] = (),
    columns: Collection[str] = (),
) -> None:
    """Raises AmendmentError where the proposal cannot stand, alone or with those beside it.

    columns: what cases fill, where that is known. An input that a case fills may come
    in, and a placeholder that none fills may go; else they stay as they are.
    """
    if proposal.kind != ADD or proposal.clause:
        clause = _clause(messages, proposal.clause)
        if proposal.kind == AMEND and proposal.text.strip() == clause.text.strip():
            raise AmendmentError(f"§{clause.number} would read as it does now")
    if proposal.kind != STRIKE and not proposal.text.strip():
        raise AmendmentError("it has no text", field="text")
    if proposal.kind != ADD:
        for other in beside:
            if other.kind != ADD and other.clause == proposal.clause:
                raise AmendmentError(
                    f"§{proposal.clause} is changed by another proposal ({other.id}) already"
                )
    if len(_FENCE.findall(proposal.text)) % 2:
        raise AmendmentError("it opens a fence that it does not close", field="text")
    after = apply_proposals(messages, [proposal])
    if not any(m.content.strip() for m in after):
        raise AmendmentError("nothing of the prompt would be left")
    before_names, after_names = set(placeholder_names(messages)), set(placeholder_names(after))
    lost = sorted(n for n in before_names - after_names if not columns or n in columns)
    if lost:
        raise AmendmentError(f"it drops the placeholder {', '.join(lost)}")
    if new := sorted(after_names - before_names - set(columns)):
        raise AmendmentError(f"it asks for {', '.join(new)}, which no case fills")


def only_shorter(
    proposals: Sequence[Proposal], messages: Sequence[Message]
) -> tuple[list[Proposal], list[tuple[int, str]]]:
    """Proposals that make their clause shorter; the others by place from 1, with what is wrong."""
    kept, refused = [], []
    for place, proposal in enumerate(proposals, 1):
        if proposal.kind == ADD:
            refused.append((place, "it adds a clause, which makes nothing shorter"))
        elif proposal.kind == AMEND and len(proposal.text.strip()) >= len(
            _clause(messages, proposal.clause).text.strip()
        ):
            refused.append((place, f"§{proposal.clause} would not be shorter"))
        else:
            kept.append(proposal)
    return kept, refused


def apply_proposals(
    messages: Sequence[Message], proposals: Collection[Proposal]
) -> tuple[Message, ...]:
    """The version's text with these proposals, in the places they name.

    Raises AmendmentError for a clause that is not there.
    """
    clauses = clauses_of(messages)
    texts = [m.content for m in messages]
    # From the end, so that places further up stay where they are; additions after one
    # clause keep their order.
    ordered = sorted(enumerate(proposals), key=lambda p: (p[1].clause, p[1].kind == ADD, p[0]))
    for _, proposal in reversed(ordered):
        if proposal.clause == 0 and proposal.kind == ADD:
            texts[0] = f"{proposal.text}\n{texts[0]}" if texts[0] else proposal.text
            continue
        if not 1 <= proposal.clause <= len(clauses):
            raise AmendmentError(f"there is no clause §{proposal.clause}", field="clause")
        clause = clauses[proposal.clause - 1]
        text = texts[clause.message]
        if proposal.kind == ADD:
            texts[clause.message] = _added(text, clause, proposal.text)
        elif proposal.kind == AMEND:
            texts[clause.message] = text[: clause.start] + proposal.text + text[clause.end :]
        else:
            texts[clause.message] = _struck(text, clause)
    return tuple(replace(m, content=t) for m, t in zip(messages, texts, strict=True))


def _added(text: str, clause: Clause, added: str) -> str:
    ends_line = clause.end >= len(text) or text[clause.end] == "\n"
    alone = clause.kind in _LINES or (ends_line and _starts_line(text, clause.start))
    gap = "\n" if alone or "\n" in added or _MARKER.match(added) else " "
    rest = text[clause.end :]
    closing = "\n" if gap == "\n" and rest and not rest.startswith("\n") else ""
    return text[: clause.end] + gap + added + closing + rest.removeprefix(" " if closing else "")


def _struck(text: str, clause: Clause) -> str:
    before, after = text[: clause.start], text[clause.end :]
    if _starts_line(text, clause.start) and (not after or after.startswith("\n")):
        # It had lines of its own: they go with it.
        before = before[: len(before) - len(before.split("\n")[-1])]
        return before + after.removeprefix("\n") if after else before.removesuffix("\n")
    if not after or after.startswith("\n"):
        return before.rstrip(" ") + after
    return before + after.lstrip(" ")


def _starts_line(text: str, start: int) -> bool:
    return text[:start].rsplit("\n", 1)[-1].strip() == ""
