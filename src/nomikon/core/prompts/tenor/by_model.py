"""A prompt as a model reads it: only what quotes the prompt's own words, and only what two passes say.

What only wording can tell (a vague wish, aims that clash) has no rule: it is asked of a model. Nothing
here calls one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.tenor.facts import FACT_PARTS, Fact, read_fact
from nomikon.core.prompts.tenor.shape import PERSON
from nomikon.core.replies import ReplyError, pick, rows_of, text_of

VAGUE, CLASHING, UNTOLD, NO_TASK = REMARKS = ("vague", "clashing", "untold", "no-task")
MOST_ENTRIES, LONGEST_WHY = 60, 300

INSTRUCTION = """\
You read prompts for language models closely. Below is a prompt in numbered clauses. Say what it asks \
for: task, role, readers (audience), tone, form of the answer (output), limits of length, rules that \
must or must not be kept. Then say what only a reader of the wording can tell: wishes too vague to be \
checked, aims that clash, what the task needs and the prompt leaves untold, a missing task. Quote the \
prompt's own words exactly for everything you say, and say nothing that you cannot quote."""

FORM = """\
Reply with one JSON object and nothing else, with the key "entries": a list of objects with the keys \
"part" (one of task, role, audience, tone, output, limit, rule, vague, clashing, untold, no-task), \
"quote" (the words, exactly as they stand), "value" (of a limit an object with what, per, low, high; of \
output an object with form and names; of a rule "must" or "must-not"; else null) and "why" (one \
sentence; empty where nothing is wrong)."""

TAIL = """\
Clauses of the prompt:
{{clauses}}

{{task}}"""
WHOLE = "Read all of it."
ONLY = """\
Read {clauses}: the others were read before and stand here as context. Of aims that clash, of what is left \
untold and of a missing task speak for the prompt as a whole."""
# Of what was read before, so much must still stand for the rest to be read alone.
KNOWN = 0.5
# What a reply to so many clauses can hold, in tokens.
FOR_ALL, FOR_ONE = 400, 120


@dataclass(frozen=True)
class Entry:
    """part: of FACT_PARTS or REMARKS. message, start, end: where the quoted words stand."""

    part: str
    quote: str
    message: int
    start: int
    end: int
    clause: int | None
    value: Any = None
    why: str = ""

    @property
    def is_remark(self) -> bool:
        """Whether it says what is wrong, not what is asked."""
        return self.part in REMARKS


@dataclass(frozen=True)
class ModelReading:
    """refused: by place from 1, why an entry was dropped."""

    entries: list[Entry]
    refused: list[tuple[int, str]] = field(default_factory=list)
    repaired: list[str] = field(default_factory=list)
    passed_over: list[str] = field(default_factory=list)


def reading_inputs(messages: Sequence[Message], only: Sequence[int] = ()) -> dict[str, str]:
    """What fills the request. only: numbers of the clauses to be read; none for all of them."""
    told = [f"§{c.number} {c.text}" for c in clauses_of(messages)]
    task = ONLY.format(clauses=", ".join(f"§{n}" for n in only)) if only else WHOLE
    return {"clauses": "\n".join(told), "task": task}


def most_tokens(only: Sequence[int], limit: int) -> int:
    """What a reply about some clauses may take, up to the limit; about all of them the limit."""
    return min(limit, FOR_ALL + FOR_ONE * len(only)) if only else limit


def read_model_reading(reply: str, messages: Sequence[Message]) -> ModelReading:
    """Entries from a reply; one whose words the prompt does not hold is dropped.

    Raises PromptError where the whole cannot be read.
    """
    try:
        rows = rows_of(reply, "entries", ("parts", "items", "reading"), (("part",), ("quote",)))
    except ReplyError as error:
        raise PromptError(str(error), field="text") from error
    found: list[Entry] = []
    refused: list[tuple[int, str]] = []
    for place, row in enumerate(rows.value, 1):
        try:
            if len(found) >= MOST_ENTRIES:
                raise PromptError(f"more than {MOST_ENTRIES} entries; the rest is left")
            found.append(_one(row, messages))
        except DomainError as error:
            refused.append((place, error.message))
    return ModelReading(found, refused, list(rows.repaired), list(rows.passed_over))


def _one(row: Any, messages: Sequence[Message]) -> Entry:
    if not isinstance(row, Mapping):
        raise PromptError("not an object")
    part = text_of(pick(row, "part", "kind", "type")).strip().casefold().replace("_", "-")
    if part not in (*FACT_PARTS, *REMARKS):
        raise PromptError(f"{part!r} is no part; allowed are {', '.join((*FACT_PARTS, *REMARKS))}")
    quote = text_of(pick(row, "quote", "words", "text")).strip().strip('“”"')
    place = _place(quote, messages)
    why = " ".join(text_of(pick(row, "why", "reason")).split())[:LONGEST_WHY]
    if part in REMARKS:
        if not why:
            raise PromptError("it does not say what is wrong")
        return Entry(part, quote, *place, why=why)
    value = pick(row, "value")
    if part in ("task", "role", "audience", "tone"):
        value = True
    fact = read_fact({"part": part, "text": quote, "value": value})
    return Entry(part, quote, *place, value=fact.value, why=why)


def _place(quote: str, messages: Sequence[Message]) -> tuple[int, int, int, int | None]:
    if not quote:
        raise PromptError("it quotes nothing")
    for index, message in enumerate(messages):
        start = message.content.find(quote)
        if start >= 0:
            end = start + len(quote)
            clause = next(
                (
                    c.number
                    for c in clauses_of(messages)
                    if c.message == index and c.start < end and c.end > start
                ),
                None,
            )
            return index, start, end, clause
    raise PromptError(f"the prompt does not hold the words “{quote[:60]}”")


def agreed(first: Sequence[Entry], second: Sequence[Entry]) -> list[Entry]:
    """What both passes say: the same part of words that meet, with the same value; as the first put it."""
    return [
        a
        for a in first
        if any(
            a.part == b.part
            and a.value == b.value
            and a.message == b.message
            and a.start < b.end
            and b.start < a.end
            for b in second
        )
    ]


def as_fact(entry: Entry, source: str = PERSON) -> Fact:
    """An entry as a fact: a person's once it is confirmed, a model's before."""
    return Fact(entry.part, entry.quote, entry.value, source)


def as_kept(entry: Entry, messages: Sequence[Message]) -> dict[str, Any]:
    """An entry as data that is found again in a later text: by the clause it stands in."""
    clause = next((c.text for c in clauses_of(messages) if c.number == entry.clause), "")
    return {
        "part": entry.part,
        "quote": entry.quote,
        "value": entry.value,
        "why": entry.why,
        "clause": clause if entry.quote in clause else "",
    }


def placed(
    rows: Sequence[Mapping[str, Any]], messages: Sequence[Message], *, same: bool
) -> list[Entry]:
    """What was read of a text, where it stands in this one.

    same: it is the very text. Of another text only what stands in a clause that is unchanged is
    still said, and of remarks only that a wish is vague: the others hold for a whole.
    """
    clauses = {c.text: c for c in reversed(clauses_of(messages))}
    found: list[Entry] = []
    for row in rows:
        part, quote = row["part"], row["quote"]
        clause = clauses.get(row["clause"]) if row["clause"] else None
        if not same and (clause is None or (part in REMARKS and part != VAGUE)):
            continue
        if clause is not None:
            start = clause.start + clause.text.find(quote)
            place: tuple[int, int, int, int | None] = (
                clause.message,
                start,
                start + len(quote),
                clause.number,
            )
        else:
            place = _place(quote, messages)
        found.append(Entry(part, quote, *place, value=row["value"], why=row["why"]))
    return found


def unread(known: Sequence[str], messages: Sequence[Message]) -> list[int] | None:
    """Numbers of the clauses that a former reading did not see; None where too few of them stood there.

    known: texts of the clauses that were read.
    """
    clauses, seen = clauses_of(messages), set(known)
    fresh = [c.number for c in clauses if c.text not in seen]
    return fresh if clauses and len(fresh) <= (1 - KNOWN) * len(clauses) else None
