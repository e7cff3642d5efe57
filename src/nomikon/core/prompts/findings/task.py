"""Rules about the task: a clear verb, the right verb, role, audience, tone."""

from __future__ import annotations

import re
from collections.abc import Iterator

from nomikon.core.prompts.findings.base import NOTE, Finding, Fix, Subject, rule

_CREATE = (
    "adapt add amend analyse analyze answer apply arrange ask assess assign brainstorm break build "
    "calculate categorise categorize change check choose classify clean combine compare complete "
    "compose compress compute consider continue convert copy correct count create critique decide "
    "define derive describe design detect determine develop devise diagnose draft draw edit "
    "estimate evaluate expand explain extract fill fix flag format formulate generate give grade "
    "group guess identify improve infer interpret invent judge keep label list make map mark match "
    "merge model name order outline output paraphrase pick plan point polish predict prepare "
    "present print produce proofread propose provide put rank rate read recommend reduce reformat "
    "rephrase replace reply report rephrase respond restate return reverse review revise rewrite "
    "say score select separate shorten show simplify sketch solve sort split spot state structure "
    "suggest sum summarise summarize tag take tell tidy transcribe transform translate turn "
    "update use verify weigh work write"
).split()
_FETCH = "fetch find get google locate look retrieve search".split()
_VERB = re.compile(rf"\b({'|'.join([*_CREATE, *_FETCH])})(?:s|es|ing)?\b", re.IGNORECASE)
_MAKING = re.compile(
    r"\b(?:write|create|generate|make|build|design|craft|give me|come up with|need)\b"
    r"(?:\s+(?:me|us))?\s+(?:an?|the)?\s*(?:[\w-]+\s+){0,3}?prompt\b",
    re.IGNORECASE,
)
_ROLE = re.compile(
    r"\b(?:you are|you're|you act|act as|your role|as an? |you (?:\w+ )?(?:sort|write|read|help|"
    r"work|answer|check|review|translate|summari[sz]e|extract|edit))\b",
    re.IGNORECASE,
)
_AUDIENCE = re.compile(
    r"\b(?:audience|readers?|for (?:a|an|the|our|my|your|people|children|adults|customers|"
    r"passengers|beginners|experts|managers|students|employees|members|guests|new|those|anyone|"
    r"somebody|someone|users?)\b|(?:reads?|read by|addressed to|to (?:a|an|the) \w+))",
    re.IGNORECASE,
)
_TONE = re.compile(
    r"\b(?:tone|style|voice|friendly|formal|informal|polite|plain|warm|neutral|professional|casual|"
    r"calm|serious|playful|matter-of-fact|sober|humorous|respectful|simple (?:words|language))\b",
    re.IGNORECASE,
)


@rule("no-task-verb")
def _no_task_verb(subject: Subject) -> Iterator[Finding]:
    words = subject.wording
    # Verbs are known in English only; of other languages wording alone tells.
    if subject.tenor.language not in ("en", "") or "?" in words or _VERB.search(words):
        return
    if subject.clauses:
        yield Finding(
            "no-task-verb",
            NOTE,
            "nothing says what is to be done: begin with a verb (sort, summarise, rewrite …)",
            **subject.at(subject.clauses[0]),
        )


@rule("fetching-verb")
def _fetching_verb(subject: Subject) -> Iterator[Finding]:
    """Something new is wanted, but the verb asks for something that is somewhere already."""
    if subject.task not in ("write", "rewrite"):
        return
    for clause in subject.instructions:
        match = re.match(
            r"\s*(?:please\s+|can you\s+|could you\s+)?(find|get|search for|look up|fetch|retrieve)"
            r"(?:\s+me)?\b",
            clause.text,
            re.IGNORECASE,
        )
        if match:
            start, end = match.span(1)
            word = "Write" if match.group(1)[:1].isupper() else "write"
            yield Finding(
                "fetching-verb",
                NOTE,
                f"“{match.group(1)}” asks for something that exists, but something new is wanted",
                clause.message,
                clause.number,
                clause.start + start,
                clause.start + end,
                Fix(clause.start + start, clause.start + end, word),
            )


@rule("asks-for-a-prompt")
def _asks_for_a_prompt(subject: Subject) -> Iterator[Finding]:
    for clause in subject.instructions:
        if match := _MAKING.search(clause.text):
            yield Finding(
                "asks-for-a-prompt",
                NOTE,
                "this asks the model to write a prompt, not to do the task: say what the answer "
                "itself shall be",
                **subject.at(clause, match),
            )


@rule("no-role")
def _no_role(subject: Subject) -> Iterator[Finding]:
    if subject.task in ("write", "rewrite", "converse") and not _ROLE.search(subject.wording):
        yield Finding(
            "no-role", NOTE, "nothing says in whose place the model writes: name the role"
        )


@rule("no-audience")
def _no_audience(subject: Subject) -> Iterator[Finding]:
    if subject.task in ("write", "rewrite", "summarise") and not _AUDIENCE.search(subject.wording):
        yield Finding("no-audience", NOTE, "nothing says for whom this is: name the readers")


@rule("no-tone")
def _no_tone(subject: Subject) -> Iterator[Finding]:
    if subject.task in ("write", "rewrite", "converse") and not _TONE.search(subject.wording):
        yield Finding("no-tone", NOTE, "nothing says in what tone: plain, formal, warm …")
