"""What a finding is, what rules look at, and the list of rules."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import placeholder_names
from nomikon.core.prompts.tenor import Tenor, read_tenor
from nomikon.core.prompts.tenor.by_model import Entry
from nomikon.core.prompts.tenor.facts import Fact
from nomikon.core.prompts.tenor.shape import Words

NOTE, WARNING, ERROR = "note", "warning", "error"
SEVERITIES = (NOTE, WARNING, ERROR)


@dataclass(frozen=True)
class Fix:
    """What would mend it: put `text` in the place of start to end of the finding's message."""

    start: int
    end: int
    text: str


@dataclass(frozen=True)
class Finding:
    """One weak spot.

    message: index, None where it belongs to no message (a setting). clause: its
    number. start, end: code points in the message's content; 0, 0 where no
    words are to blame. text: what is wrong and why it matters.
    """

    rule: str
    severity: str
    text: str
    message: int | None = None
    clause: int | None = None
    start: int = 0
    end: int = 0
    fix: Fix | None = None


@dataclass(frozen=True)
class Subject:
    """All that rules may look at. What is None is not known, and rules then keep silent.

    columns: inputs of the cases. longest: for each input, its longest value in
    characters. measures: kinds of measures of the scorecard. context: tokens the
    model holds, or contexts: by name those of all models that may be chosen;
    prompt_tokens: of the prompt with its longest case. facts: what a person put right of how it is read.
    remarks: what a model said of the wording.
    """

    messages: tuple[Message, ...]
    settings: Mapping[str, Any] = field(default_factory=dict)
    task: str = "other"
    columns: tuple[str, ...] | None = None
    longest: Mapping[str, int] = field(default_factory=dict)
    measures: tuple[str, ...] | None = None
    context: int | None = None
    prompt_tokens: int | None = None
    contexts: Mapping[str, int] = field(default_factory=dict)
    facts: tuple[Fact, ...] = ()
    remarks: tuple[Entry, ...] = ()

    @cached_property
    def clauses(self) -> list[Clause]:
        """The prompt's clauses."""
        return clauses_of(self.messages)

    @cached_property
    def clause_starts(self) -> list[tuple[int, int]]:
        """Where each clause begins: its message and the place in it."""
        return [(c.message, c.start) for c in self.clauses]

    @cached_property
    def names(self) -> list[str]:
        """The prompt's placeholders."""
        return placeholder_names(self.messages)

    @cached_property
    def instructions(self) -> list[Clause]:
        """Clauses that tell the model what to do: no examples, fences, quotes, headings or inputs."""
        found = []
        for clause in self.clauses:
            bare = re.sub(r"\{\{.*?\}\}", "", clause.text).strip()
            if clause.kind in ("sentence", "list-item") and len(bare.split()) > 1:
                found.append(clause)
        return found

    @cached_property
    def tenor(self) -> Tenor:
        """What the prompt is read to ask for."""
        return read_tenor(self.messages, self.settings, self.task, facts=self.facts)

    @cached_property
    def wording(self) -> str:
        """The instructions as one lower-case text."""
        return "\n".join(c.text for c in self.clauses if c.kind != "example").lower()

    @cached_property
    def example_pairs(self) -> list[tuple[Clause | None, Clause]]:
        """Worked examples given as turns: the user's turn and the assistant's."""
        turns = [c for c in self.clauses if c.kind == "example"]
        pairs: list[tuple[Clause | None, Clause]] = []
        for place, turn in enumerate(turns):
            if self.messages[turn.message].role == "assistant":
                before = turns[place - 1] if place else None
                pairs.append((before, turn))
        return pairs

    @staticmethod
    def words(words: Words) -> dict[str, Any]:
        """Where a finding stands: words that a part of the tenor was read from."""
        return {
            "message": words.message,
            "clause": words.clause,
            "start": words.start,
            "end": words.end,
        }

    def at(self, clause: Clause, match: re.Match[str] | None = None) -> dict[str, Any]:
        """Where a finding stands: a clause, or a match within its text."""
        start, end = (0, len(clause.text)) if match is None else match.span()
        return {
            "message": clause.message,
            "clause": clause.number,
            "start": clause.start + start,
            "end": clause.start + end,
        }


Check = Callable[[Subject], Iterator[Finding]]
_RULES: dict[str, Check] = {}


def rule(name: str) -> Callable[[Check], Check]:
    """Put a check on the list under its id."""

    def add(check: Check) -> Check:
        assert name not in _RULES, name
        _RULES[name] = check
        return check

    return add


def rules() -> list[str]:
    """Ids of all rules."""
    return sorted(_RULES)


def check_prompt(subject: Subject, *, without: Sequence[str] = ()) -> list[Finding]:
    """Every finding, in the order of the text; without: rules that were silenced.

    Deterministic, and linear in the length of the text but for pairs of clauses
    that are compared with each other.
    """
    found = [f for name, check in _RULES.items() if name not in without for f in check(subject)]
    last = len(subject.messages)
    found = [_with_clause(subject, f) for f in found]
    return sorted(
        found, key=lambda f: (last if f.message is None else f.message, f.start, f.end, f.rule)
    )


def _with_clause(subject: Subject, found: Finding) -> Finding:
    """The finding with the number of the clause it stands in, where a rule told only the place."""
    if found.message is None or found.clause is not None:
        return found
    place = bisect_right(subject.clause_starts, (found.message, found.start)) - 1
    clause = subject.clauses[place] if place >= 0 else None
    if clause is None or clause.message != found.message or found.start >= clause.end:
        return found
    return replace(found, clause=clause.number)
