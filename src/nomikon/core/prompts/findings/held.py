"""How good each rule is on a set of prompts whose flaws are known."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from nomikon.core.errors import PromptError
from nomikon.core.prompts.findings.base import NOTE, Finding, Subject, check_prompt
from nomikon.core.prompts.messages import Message

# A rule that is right less often speaks as a note.
LEAST = 0.9


@dataclass(frozen=True)
class Known:
    """A prompt and the exact words of each flaw that was planted in it; none in a sound one."""

    name: str
    messages: tuple[Message, ...]
    planted: tuple[str, ...] = ()


@dataclass(frozen=True)
class Rate:
    """found: how often a rule spoke above a note; right: at a clause with a planted flaw."""

    rule: str
    found: int
    right: int

    @property
    def precision(self) -> float:
        """The share that was right, 0 to 1."""
        return self.right / self.found

    @property
    def holds(self) -> bool:
        """Whether it is right often enough to speak above a note."""
        return self.precision >= LEAST


@dataclass(frozen=True)
class Rates:
    """rules: those that spoke, the least right first. missed: (prompt, words) of flaws nobody saw.

    alarms: findings above a note on sound prompts, of sound prompts.
    """

    rules: list[Rate]
    planted: int
    missed: list[tuple[str, str]]
    alarms: int
    sound: int


def rates_on(prompts: Sequence[Known]) -> Rates:
    """Precision of every rule above a note, and what was missed. Raises PromptError for words that the
    prompt does not hold."""
    found: Counter[str] = Counter()
    right: Counter[str] = Counter()
    missed: list[tuple[str, str]] = []
    alarms = 0
    for known in prompts:
        subject = Subject(known.messages)
        told = [f for f in check_prompt(subject) if f.severity != NOTE]
        places = [_place(known, words) for words in known.planted]
        found.update(f.rule for f in told)
        right.update(f.rule for f in told if any(_is_at(f, p, subject) for p in places))
        missed += [
            (known.name, words)
            for words, place in zip(known.planted, places, strict=True)
            if not any(_is_at(f, place, subject) for f in told)
        ]
        alarms += 0 if known.planted else len(told)
    rules = [Rate(rule, n, right[rule]) for rule, n in found.items()]
    rules.sort(key=lambda r: (r.precision, -r.found, r.rule))
    planted = sum(len(k.planted) for k in prompts)
    return Rates(rules, planted, missed, alarms, sum(not k.planted for k in prompts))


_Place = tuple[int, int, int]


def _place(known: Known, words: str) -> _Place:
    """Message, start and end of the words' last place: what comes second is the flaw."""
    for index in range(len(known.messages) - 1, -1, -1):
        start = known.messages[index].content.rfind(words)
        if start >= 0:
            return index, start, start + len(words)
    raise PromptError(f"{known.name} does not hold the words {words!r}", field="planted")


def _is_at(found: Finding, place: _Place, subject: Subject) -> bool:
    """Whether a finding speaks of the words, or of the clause that they stand in."""
    message, start, end = place
    if found.message == message and found.start < end and found.end > start:
        return True
    return any(
        c.number == found.clause and c.message == message and c.start < end and c.end > start
        for c in subject.clauses
    )


def known_from(name: str, messages: tuple[Message, ...], planted: Mapping[str, object]) -> Known:
    """A prompt with its planted flaws from data: {prompt: [words]}. Raises PromptError for another shape."""
    rows = planted.get(name, [])
    if not isinstance(rows, list) or not all(isinstance(w, str) and w for w in rows):
        raise PromptError(f"{name}: planted flaws are a list of words", field="planted")
    return Known(name, messages, tuple(rows))
