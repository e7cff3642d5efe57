"""Measures that have something asked before they can say anything: a judge, or the arm once more."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

from nomikon.core.measures.base import NOT_ASKED, Answer, JudgeReply, Measure, Score
from nomikon.core.prompts.messages import Message


@dataclass(frozen=True)
class JudgeRequest:
    """One question to a judge. sample: which of several judgements, from 0."""

    messages: tuple[Message, ...]
    settings: Mapping[str, Any] = field(default_factory=dict)
    sample: int = 0


@dataclass(frozen=True)
class TwinRequest:
    """The arm's own prompt once more, filled with other inputs."""

    inputs: Mapping[str, Any]


Request = JudgeRequest | TwinRequest


class AskingMeasure(Measure):
    """A measure that plans requests and reads what came back; it makes no call.

    What cannot be read gives no score: the output is missing, never 0. sees_reference: whether what is
    asked, or how it is read, hangs on the reference.
    """

    sees_reference: bool = False
    # What a model answers in the worked example, so that it can be read without a call.
    worked_replies: ClassVar[tuple[str, ...]] = ()

    @abstractmethod
    def requests(self, answer: Answer) -> tuple[Request, ...]:
        """What to ask about an output, in order; nothing where there is nothing to ask."""

    def once_more(self, asked: Request, reply: JudgeReply) -> Request | None:
        """A question put again with what is wrong with its reply; None where it stays as it is."""
        return None

    @abstractmethod
    def read(self, answer: Answer, replies: Sequence[JudgeReply]) -> Score:
        """The score from the replies, one for each request."""

    @abstractmethod
    def whom(self) -> str:
        """Who is asked, in words."""

    def score(self, answer: Answer) -> Score:
        """The score, where it has been asked."""
        if not self.requests(answer):
            return Score(None, self.unasked(answer))
        if answer.replies is None:
            return Score(None, f"{self.whom()} was not asked", NOT_ASKED)
        return self.read(answer, answer.replies)

    def unasked(self, answer: Answer) -> str:
        """Why nothing is asked about an output at all."""
        return "there is nothing to ask"
