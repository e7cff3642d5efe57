"""What a measure is: parameters checked once, then one score and one why per output."""

from __future__ import annotations

import json
from abc import ABC, abstractmethod
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

from nomikon.core.errors import MeasureError
from nomikon.core.foreign_words import of_json
from nomikon.core.measures.declared import Parameter


@dataclass(frozen=True)
class JudgeReply:
    """What a judge answered. failure: the code of a call that gave no answer, else ""."""

    text: str
    finish_reason: str | None = None
    failure: str = ""


@dataclass(frozen=True)
class Turn:
    """One turn of a conversation. role: user or assistant."""

    role: str
    text: str


@dataclass(frozen=True)
class Answer:
    """One output as a measure sees it; `reference` is None where the case has none.

    prompt: the instructions that were sent, without the case's inputs; None
    where they are not known. cost: billionths of the currency. scores: of the
    measures further up in the scorecard. replies: what this measure's judge
    said; None where it was not asked. turns: the conversation, where it is one;
    `output` is then its last answer. forms: other references that are as right. shown: names of the
    inputs that its prompt shows; None where that is not known.
    """

    output: str
    reference: str | None = None
    inputs: Mapping[str, Any] = field(default_factory=dict)
    finish_reason: str | None = None
    tokens_in: int | None = None
    tokens_out: int | None = None
    cost: int | None = None
    latency_ms: float | None = None
    prompt: str | None = None
    scores: Mapping[str, float | None] = field(default_factory=dict)
    replies: Sequence[JudgeReply] | None = None
    turns: Sequence[Turn] = ()
    forms: Sequence[str] = ()
    shown: Collection[str] | None = None


# What a score is where it is no measure's finding: its judge was not asked, gave no judgement, or
# there was no answer to judge.
NOT_ASKED, UNREADABLE, NO_ANSWER = "not-asked", "unreadable", "no-answer"
WAITS = "waits for the other repeats of this case"
# Working it out failed, or took longer than a score may.
UNSCORED = "unscored"
SCORE_CODES = (NOT_ASKED, UNREADABLE, NO_ANSWER, UNSCORED)


@dataclass(frozen=True)
class Score:
    """A number from 0 to 1, or None where the measure cannot say, and why.

    code: one of SCORE_CODES where the program acts by it; the why is for people.
    """

    value: float | None
    why: str
    code: str = ""


class Measure(ABC):
    """A rule that turns an output into a score.

    Subclasses check their parameters in the constructor and raise MeasureError
    with the parameter as field. `name` is the name used in scorecards.
    """

    name: ClassVar[str]
    description: ClassVar[str]
    needs_reference: ClassVar[bool] = False
    # Whether its time grows no faster than the text, whatever stands in it: it needs no process
    # of its own then.
    linear: ClassVar[bool] = False
    # Whether it looks at the scores of the measures above it.
    reads_scores: ClassVar[bool] = False
    # Declared once: forms, documentation and schemas are made from it. Words alone take any JSON.
    parameters: ClassVar[Mapping[str, Parameter | str]] = {}
    # Parameters, output, reference and the score they give: shown to people, held by a test.
    worked: ClassVar[tuple[dict[str, Any], str, str | None, float | None]]

    @abstractmethod
    def score(self, answer: Answer) -> Score:
        """Score one output."""


class GroupMeasure(Measure):
    """A measure that needs all repeats of one arm on one case before it can say anything."""

    @abstractmethod
    def score_group(self, answers: Sequence[Answer]) -> list[Score]:
        """One score for each of the group's answers, in their order."""

    def score(self, answer: Answer) -> Score:
        """None: one answer alone shows nothing of the kind."""
        return Score(None, WAITS)


NO_REFERENCE = Score(None, "the case has no reference")


def only_known(name: str, given: Mapping[str, Any], known: Mapping[str, object]) -> None:
    """Refuse parameters a measure does not have."""
    for key in given:
        if key not in known:
            allowed = ", ".join(known) or "none"
            raise MeasureError(
                f"{name} has no parameter {key!r}; it takes: {allowed}", field=str(key)
            )


def parse_json(text: str) -> Any:
    """JSON as the standard has it: no NaN, no infinities. Raises ValueError with the reason.

    A byte order mark before it is passed over; of a key that stands twice the last value counts.
    """
    try:
        return json.loads(text.removeprefix("\ufeff"), parse_constant=_no_constant)
    except RecursionError as error:
        raise ValueError("nested too deeply to read") from error
    except json.JSONDecodeError as error:
        raise ValueError(of_json(error)) from error


def doubled_keys(text: str) -> list[str]:
    """Keys that stand twice in one object of a JSON text that can be read."""
    found: list[str] = []

    def pairs(items: list[tuple[str, Any]]) -> dict[str, Any]:
        made: dict[str, Any] = {}
        for key, value in items:
            if key in made:
                found.append(key)
            made[key] = value
        return made

    json.loads(text.removeprefix("\ufeff"), object_pairs_hook=pairs)
    return list(dict.fromkeys(found))


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is no JSON value")
