"""A first version written by a model from the brief: what it is asked, how its reply is read.

Nothing here calls a model.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import placeholder_names
from nomikon.core.prompts.questions import ASKED, Question, read_rows
from nomikon.core.prompts.whole_prompt import UNTOLD, WHOLE, double_braces, whole_prompt_of
from nomikon.core.replies import ReplyError, kind_of, pick, rows_of, text_of
from nomikon.core.replies.shaping import plain_key

PARTS = ("role", "task", "context", "steps", "format", "limits", "examples", "input")
_PART_WORDS = {
    "role": ("persona", "who"),
    "task": ("job", "goal", "instruction", "objective"),
    "context": ("background", "facts"),
    "steps": ("step", "procedure", "process"),
    "format": ("form", "output", "output format", "answer"),
    "limits": ("limit", "constraint", "constraints", "rules", "rule", "dont"),
    "examples": ("example", "worked example", "shots"),
    "input": ("inputs", "data", "variable", "placeholder"),
}
MOST = 60
UNNAMED = "(none is fixed yet: name each after what it is)"

INSTRUCTION = """\
You write prompts for language models. Write the first version of a prompt for the job below, as \
single clauses in the order in which they shall stand: who the model is (role), what it does and \
what for (task), what it has to know and who reads the answer (context), the steps where there are \
several, the form of the answer with what it may look like (format), how long it may be, its tone, \
what it must keep to and never do, and what holds at the edges: where something is missing, where \
two things fit, where nothing fits (limits), worked examples only where the job gives them, and last \
the inputs, each between marks of its own. A small job needs few and short clauses, a large one all \
of these. Take up everything that the job and its facts say, and invent nothing that they do not \
say: what they leave open is asked, not left out. Name each input once, in double braces, exactly as listed."""

FORM = """\
Reply with one JSON object and nothing else: its key "clauses" holds a list of objects with the \
keys "role" ("system" for everything that holds for each input, "user" for the inputs), "part" \
(role, task, context, steps, format, limits, examples or input), "text" (the clause as it shall \
read) and "reason" (one sentence: what in the job calls for it).

Beside it, the key "open" holds what the job leaves open and a good answer hangs on, at most four \
questions, none where nothing is open: a list of objects with the keys "question" (one sentence), \
"why" (what goes wrong while it is open), "answers" (two to four short answers to choose from) and \
"clause" (the sentence the prompt shall say once it is answered, with {answer} where the answer \
goes)."""

MOST_OPEN = 4
# A clause has a text, too; only a question has one of these.
_ASKS = ("question", "asks", "ask")

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
    """refused: by place from 1, what is wrong with it. repaired: what was put in order.
    passed_over: what stood beside it and was left out. open: what the job leaves open, as questions."""

    clauses: list[WrittenClause]
    refused: list[tuple[int, str]] = field(default_factory=list)
    repaired: list[str] = field(default_factory=list)
    passed_over: list[str] = field(default_factory=list)
    open: list[Question] = field(default_factory=list)


def write_inputs(job: str, columns: Sequence[str], wishes: Sequence[str] = ()) -> dict[str, str]:
    """What fills the request: the job with its facts and what is wished for, and the inputs by name."""
    named = "\n".join(f"- {{{{{name}}}}}" for name in columns)
    told = job.strip() or "(not stated)"
    if wishes:
        told += "\n\nThe prompt shall make sure that:\n" + "\n".join(f"- {w}" for w in wishes)
    return {"job": told, "inputs": named or UNNAMED}


def read_written(
    reply: str, columns: Sequence[str], asked_by: str = "", known: Sequence[str] = ()
) -> Written:
    """Clauses from a model's reply; what cannot stand is refused, an input left out is put in.

    columns: the inputs a case fills; with none, any placeholder is taken. known: questions that were
    asked before. Where the whole prompt
    came back as a text, its clauses are taken. Raises PromptError where the whole cannot be read
    or nothing of it can stand.
    """
    try:
        found = rows_of(reply, "clauses", ("prompt", "sections", "parts", "items"), (_TEXT,))
        rows, repaired, passed = found.value, list(found.repaired), list(found.passed_over)
        whole = None if rows and any(_text_of(r) for r in rows) else whole_prompt_of(reply, columns)
    except ReplyError as error:
        rows, repaired, passed = [], [], []
        whole = None if error.kind == "cut" else whole_prompt_of(reply, columns)
        if whole is None:
            raise PromptError(str(error), field="text") from error
    if whole is not None:
        rows = [_as_row(whole[c.message].role, c.text) for c in clauses_of(whole)]
        repaired.append("a whole prompt came back; its clauses were taken")
    clauses: list[WrittenClause] = []
    refused: list[tuple[int, str]] = []
    for place, row in enumerate(rows, 1):
        try:
            if len(clauses) >= MOST:
                raise PromptError(f"more than {MOST} clauses; the rest is left")
            clause, told = _one(row, columns)
            clauses.append(clause)
            repaired += [t for t in told if t not in repaired]
        except DomainError as error:
            refused.append((place, error.message))
    if not clauses:
        why = f": {refused[0][1]}" if refused else ""
        raise PromptError(f"the reply holds no clause that can stand{why}", field="text")
    named = set(placeholder_names(as_messages(clauses)))
    for name in (c for c in columns if c not in named):
        label = name[:1].upper() + name[1:].replace("_", " ")
        text = f"{label}: {{{{{name}}}}}"
        clauses.append(WrittenClause("user", "input", text, f"The input {name} was left out."))
        repaired.append(f"the input {name} was left out and stands at the end now")
    asked = _open_of(reply, asked_by, known) if whole is None else []
    # Read as questions, it was not passed over.
    passed = [w for w in passed if not asked or "open" not in w.split()]
    return Written(clauses, refused, repaired, passed, asked)


def _open_of(reply: str, asked_by: str, known: Sequence[str]) -> list[Question]:
    """What the writer says is left open; nothing where it says nothing that can be asked."""
    try:
        found = rows_of(reply, "open", ("open_points", "open_questions", "questions"), ASKED)
        # A reply without this key has its clauses found instead: they ask nothing.
        rows = [r for r in found.value if not isinstance(r, dict) or pick(r, *_ASKS)]
        return read_rows(rows, asked_by, known)[0][:MOST_OPEN]
    except (DomainError, ReplyError):
        return []


_TEXT = ("text", "clause", "content", "wording", "sentence", "instruction")


def _text_of(row: Any) -> str:
    return text_of(pick(row, *_TEXT)) if isinstance(row, dict) else text_of(row)


def _as_row(role: str, text: str) -> dict[str, str]:
    held = bool(placeholder_names([Message("user", text)]))
    return {"role": role, "part": "input" if held else "task", "text": text, "reason": WHOLE}


def _one(row: Any, columns: Sequence[str]) -> tuple[WrittenClause, list[str]]:
    told: list[str] = []
    if isinstance(row, str) and len(row.split()) > 2:
        row = {"text": row}
    if not isinstance(row, dict):
        raise PromptError("not an object")
    text, holes = double_braces(_text_of(row), columns)
    if holes:
        told.append(f"single braces around {', '.join(holes)} were doubled")
    if not text.strip():
        raise PromptError("it has no text")
    reason = " ".join(text_of(pick(row, "reason", "why", "because", "rationale")).split())
    if not reason:
        told.append("a reason was missing")
    if len(re.findall(r"^[ \t]*(?:`{3,}|~{3,})", text, re.M)) % 2:
        raise PromptError("it opens a fence that it does not close")
    names = placeholder_names([Message("user", text)])
    if columns and (unknown := [n for n in names if n not in columns]):
        raise PromptError(f"it asks for {', '.join(unknown)}, which no case fills")
    # An input in the system message would be the same text for every case to read.
    role = "user" if names or plain_key(pick(row, "role") or "") == "user" else "system"
    part = kind_of(pick(row, "part", "section", "kind", "type"), _PART_WORDS) or "task"
    return WrittenClause(role, part, text.strip("\n"), reason or UNTOLD), told


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
