"""A first version written by a model from the brief: what it is asked, how its reply is read.

Nothing here calls a model.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import placeholder_names
from nomikon.core.replies import listed

PARTS = ("role", "task", "context", "steps", "format", "limits", "examples", "input")
MOST = 60

INSTRUCTION = """\
You write prompts for language models. Write the first version of a prompt for the job below, as \
single clauses in the order in which they shall stand: who the model is (role), what it does \
(task), what it has to know (context), the steps where there are several, the form of the answer \
(format), what it must keep to and never do (limits), worked examples only where the job gives \
them, and last the inputs. Take up everything that the job and its facts say, and invent nothing \
that they do not say. Name each input once, in double braces, exactly as listed.

Reply with one JSON object and nothing else: its key "clauses" holds a list of objects with the \
keys "role" ("system" for everything that holds for each input, "user" for the inputs), "part" \
(role, task, context, steps, format, limits, examples or input), "text" (the clause as it shall \
read) and "reason" (one sentence: what in the job calls for it)."""

TAIL = """\
Job:
{{job}}

Inputs:
{{inputs}}"""


@dataclass(frozen=True)
class WrittenClause:
    """One clause of a first version, with why it is there."""

    role: str
    part: str
    text: str
    reason: str


@dataclass(frozen=True)
class Written:
    """refused: by place from 1, what is wrong with it. repaired: what was put in order, in words."""

    clauses: list[WrittenClause]
    refused: list[tuple[int, str]] = field(default_factory=list)
    repaired: list[str] = field(default_factory=list)


def write_prompt(instruction: str = INSTRUCTION) -> tuple[Message, ...]:
    """The messages, with placeholders that `write_inputs` fills."""
    return (Message("system", instruction), Message("user", TAIL))


def write_inputs(job: str, columns: Sequence[str]) -> dict[str, str]:
    """What fills the request: the job with its facts, and the inputs by name."""
    named = "\n".join(f"- {{{{{name}}}}}" for name in columns)
    return {"job": job.strip() or "(not stated)", "inputs": named or "- {{text}}"}


def read_written(reply: str, columns: Sequence[str]) -> Written:
    """Clauses from a model's reply; what cannot stand is refused, an input left out is put in.

    columns: the inputs a case fills; with none, any placeholder is taken. Raises
    PromptError where the whole cannot be read or nothing of it can stand.
    """
    try:
        rows = listed(reply, "clauses")
    except ValueError as error:
        raise PromptError(str(error), field="text") from error
    clauses: list[WrittenClause] = []
    refused: list[tuple[int, str]] = []
    for place, row in enumerate(rows, 1):
        try:
            if len(clauses) >= MOST:
                raise PromptError(f"more than {MOST} clauses; the rest is left")
            clauses.append(_one(row, columns))
        except DomainError as error:
            refused.append((place, error.message))
    if not clauses:
        raise PromptError("the reply holds no clause that can stand", field="text")
    repaired = []
    named = set(placeholder_names(as_messages(clauses)))
    for name in (c for c in columns if c not in named):
        label = name[:1].upper() + name[1:].replace("_", " ")
        text = f"{label}: {{{{{name}}}}}"
        clauses.append(WrittenClause("user", "input", text, f"The input {name} was left out."))
        repaired.append(f"the input {name} was left out and stands at the end now")
    return Written(clauses, refused, repaired)


def _one(row: Any, columns: Sequence[str]) -> WrittenClause:
    if not isinstance(row, dict):
        raise PromptError("not an object")
    text = row.get("text")
    if not isinstance(text, str) or not text.strip():
        raise PromptError("it has no text")
    reason = row.get("reason")
    if not isinstance(reason, str) or not reason.strip():
        raise PromptError("it gives no reason")
    if len(re.findall(r"^[ \t]*(?:`{3,}|~{3,})", text, re.M)) % 2:
        raise PromptError("it opens a fence that it does not close")
    names = placeholder_names([Message("user", text)])
    if columns and (unknown := [n for n in names if n not in columns]):
        raise PromptError(f"it asks for {', '.join(unknown)}, which no case fills")
    # An input in the system message would be the same text for every case to read.
    role = "user" if names or str(row.get("role", "")).strip().lower() == "user" else "system"
    part = str(row.get("part", "")).strip().lower()
    return WrittenClause(role, part if part in PARTS else "task", text.strip("\n"), reason.strip())


def as_messages(clauses: Sequence[WrittenClause]) -> tuple[Message, ...]:
    """The version these clauses make: one line each, a blank line where the part changes."""
    messages = []
    for role in ("system", "user"):
        text, former = "", ""
        for clause in (c for c in clauses if c.role == role):
            gap = "" if not text else "\n" if clause.part == former else "\n\n"
            text, former = text + gap + clause.text, clause.part
        if text:
            messages.append(Message(role, text))
    return tuple(messages)
