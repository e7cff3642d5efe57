"""Which clauses of a prompt can be left out to see what they are worth, and the text without them.

A heading, or a line that ends in a colon and opens a list, travels with what
stands under it: it goes when all of that goes. What brings the input in, and
what fixes the form of the answer, stays: without it there is nothing to compare.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import regex

from nomikon.core.errors import AmendmentError
from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import find_tags
from nomikon.core.prompts.proposals import STRIKE, Proposal, apply_proposals
from nomikon.core.prompts.tenor import read_tenor
from nomikon.core.prompts.tenor.lexicon import LEXICONS
from nomikon.core.prompts.tenor.shape import JSON, TABLE

INPUT = "it brings an input in"
BORDER = "it marks where an input begins or ends"
CUE = "it follows the input and asks for the answer"
FORM = "it fixes the form of the answer"
OPENING = "it is the beginning of the answer"
TRAVELS = "it goes with what stands under it"
ALONE = "without it a step would have no message"
KEPT = "kept on request"

_FORM = re.compile(r"\b(?:json|xml|yaml|csv|tsv|markdown|html|latex)\b", re.I)
_TAG_ALONE = re.compile(r"^</?[\w-]+>$")
_LEVEL = re.compile(r"^\s*(#{1,6})")


@dataclass(frozen=True)
class Leaving:
    """free: clauses that are left out, each group as one, in the order of the text.

    locked: those that stay, by number, and why.
    """

    free: list[tuple[int, ...]]
    locked: dict[int, str]


def what_can_go(messages: Sequence[Message], keep: Collection[int] = ()) -> Leaving:
    """The clauses that can be left out, and why the others stay.

    keep: numbers of clauses that are to stay whatever they are. Raises
    AmendmentError for a number that is no clause.
    """
    clauses = clauses_of(messages)
    for number in keep:
        if not 1 <= number <= len(clauses):
            raise AmendmentError(f"there is no clause §{number}", field="keep")
    under = _under(clauses)
    locked: dict[int, str] = {c.number: TRAVELS for c in clauses if under.get(c.number)}
    locked |= _of_input(messages, clauses)
    asked = _asking(messages, clauses)
    for clause in clauses:
        leads = locked.get(clause.number) == TRAVELS and clause.kind == "sentence"
        free_yet = clause.number not in locked or leads
        if (
            free_yet
            and clause.kind not in ("example", "pair")
            and (clause.number in asked or _fixes_form(clause))
        ):
            locked[clause.number] = FORM
            # What stands under a line that fixes the form (the keys of an object) is the form.
            locked |= {n: FORM for n in under.get(clause.number, ()) if n not in locked}
    locked |= dict.fromkeys(keep, KEPT)
    free = [g for g in _groups(messages, clauses) if not any(n in locked for n in g)]
    for group in _left_alone(messages, clauses, free, locked):
        free.remove(group)
        locked |= dict.fromkeys(group, ALONE)
    known = {n for g in free for n in g}
    for clause in clauses:
        if clause.number not in known and clause.number not in locked:
            locked[clause.number] = INPUT if find_tags(clause.text) else KEPT
    return Leaving(free, dict(sorted(locked.items())))


def leave_out(messages: Sequence[Message], numbers: Collection[int]) -> tuple[Message, ...]:
    """The text without these clauses, and without the headings of which nothing is left.

    A message of which nothing is left goes too. Raises AmendmentError for a number
    that is no clause, and where a step would be left without a message.

    >>> leave_out([Message('user', 'Say yes. Be brief.')], [2])[0].content
    'Say yes.'
    """
    if not numbers:
        return tuple(messages)
    clauses = clauses_of(messages)
    gone = set(numbers)
    # Inner headings first: an outer one goes when they do.
    for head, below in sorted(_under(clauses).items(), key=lambda h: -h[0]):
        if below and all(n in gone for n in below):
            gone.add(head)
    strikes = [Proposal(f"w{n}", STRIKE, n, "", "left out") for n in sorted(gone)]
    after = apply_proposals(messages, strikes)
    left = tuple(m for m in after if m.content.strip())
    if {m.step for m in left} != {m.step for m in messages}:
        raise AmendmentError("nothing of a step's text would be left", field="without")
    return left


def _groups(messages: Sequence[Message], clauses: Sequence[Clause]) -> list[tuple[int, ...]]:
    """Clauses that can only go together: the two turns of a worked example."""
    groups: list[tuple[int, ...]] = []
    for clause in clauses:
        last = clauses[groups[-1][-1] - 1] if groups else None
        answers = (
            clause.kind == "example"
            and messages[clause.message].role == "assistant"
            and last is not None
            and last.kind == "example"
            and last.message == clause.message - 1
            and messages[last.message].role == "user"
        )
        if answers:
            groups[-1] = (*groups[-1], clause.number)
        else:
            groups.append((clause.number,))
    return groups


def _under(clauses: Sequence[Clause]) -> Mapping[int, list[int]]:
    """For each heading and each line that opens a list or block, what stands under it."""
    found: dict[int, list[int]] = {}
    for place, clause in enumerate(clauses):
        rest = [c for c in clauses[place + 1 :] if c.message == clause.message]
        if clause.kind == "heading":
            found[clause.number] = [c.number for c in _until(rest, _level(clause))]
        elif clause.kind == "sentence" and clause.text.rstrip().endswith(":"):
            run: list[Clause] = []
            for other in rest:
                if other.kind not in ("list-item", "fenced", "quoted"):
                    break
                if run and other.kind != run[0].kind:
                    break
                run.append(other)
            found[clause.number] = [c.number for c in run]
    return found


def _until(rest: Sequence[Clause], level: int) -> list[Clause]:
    found = []
    for clause in rest:
        if clause.kind == "heading" and _level(clause) <= level:
            break
        found.append(clause)
    return found


def _level(clause: Clause) -> int:
    match = _LEVEL.match(clause.text)
    return len(match.group(1)) if match else 1


def _of_input(messages: Sequence[Message], clauses: Sequence[Clause]) -> dict[int, str]:
    """Clauses that bring an input in, mark its borders, or cue the answer after it."""
    found: dict[int, str] = {}
    for clause in clauses:
        own = [c for c in clauses if c.message == clause.message]
        inputs = [c.number for c in own if find_tags(c.text)]
        last = clause.message == len(messages) - 1
        if clause.number in inputs:
            found[clause.number] = INPUT
        elif last and messages[clause.message].role == "assistant":
            found[clause.number] = OPENING
        elif inputs and clause.kind != "example":
            bare = not any(ch.isalnum() for ch in clause.text) or _TAG_ALONE.match(clause.text)
            if bare:
                found[clause.number] = BORDER
            elif clause.number + 1 in inputs and clause.text.rstrip().endswith(":"):
                found[clause.number] = INPUT
            elif clause.number > max(inputs) and clause.text.rstrip().endswith(":"):
                found[clause.number] = CUE
    return found


def _asking(messages: Sequence[Message], clauses: Sequence[Clause]) -> set[int]:
    """Clauses by which the tenor knows the form: the object, the table, and that the answer is nothing
    else; in any language that is read. What the labels are is worth weighing, and may go."""
    tenor = read_tenor(messages)
    found: set[int] = set()
    if tenor.output.form in (JSON, TABLE) and tenor.output.words:
        found.add(tenor.output.words.clause or 0)
    words = LEXICONS.get(tenor.language)
    if words:
        only = regex.compile(
            rf"(?<!\w)(?:{words.reply})\b[^.\n]*(?<!\w)(?:{words.only})\b", regex.IGNORECASE
        )
        found |= {c.number for c in clauses if only.search(c.text)}
    return found


def _fixes_form(clause: Clause) -> bool:
    """Whether it names a format, which is called the same in every language, or shows one."""
    return bool(_FORM.search(clause.text)) or (
        clause.kind == "fenced" and any(ch in clause.text for ch in "{[<|")
    )


def _left_alone(
    messages: Sequence[Message],
    clauses: Sequence[Clause],
    free: Sequence[tuple[int, ...]],
    locked: Mapping[int, str],
) -> list[tuple[int, ...]]:
    """The first free clauses of every step in which nothing stays: it must keep a message."""
    step_of = {c.number: messages[c.message].step for c in clauses}
    stay = {step_of[n] for n, why in locked.items() if why != TRAVELS}
    first: dict[str | None, tuple[int, ...]] = {}
    for group in free:
        first.setdefault(step_of[group[0]], group)
    return [group for step, group in first.items() if step not in stay]
