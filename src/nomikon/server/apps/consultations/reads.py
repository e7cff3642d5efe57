"""What consultations answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, NotRequired, TypedDict

from nomikon.server.apps.briefs.reads import CriterionShape, MessageShape, WrittenClauseShape
from nomikon.server.apps.datasets.reads import CoverageShape, ProposalShape, UnreadShape
from nomikon.server.apps.reviews.reads import AmendmentProposal
from nomikon.server.apps.twins.reads import WrittenTwinShape
from nomikon.server.typed import Field, OneOf


class PreparedShape(TypedDict):
    instruction: Annotated[str, Field(help_text="The newest wording.")]
    form: Annotated[
        str, Field(help_text="What the program appends; it fixes the form of the reply.")
    ]
    shown: Annotated[str, Field(help_text="What the model is shown after it.")]
    tokens: int
    cost_at_most: int | None


class TryShape(TypedDict):
    reply: str
    reasoning: str
    finish_reason: str
    failure: str
    problem: str
    tokens_in: int | None
    tokens_out: int | None
    cost: int | None
    seconds: float


class AskedQuestionShape(TypedDict):
    text: str
    why: str
    answers: list[str]


class ReplyReading(TypedDict):
    items: int
    refused: list[UnreadShape]
    repaired: list[str]
    passed_over: list[str]
    nothing: Annotated[str, Field(help_text="Why it holds nothing, where it does.")]
    clauses: NotRequired[list[WrittenClauseShape]]
    questions: NotRequired[list[AskedQuestionShape]]
    cases: NotRequired[list[ProposalShape]]
    before: NotRequired[CoverageShape]
    amendments: NotRequired[list[AmendmentProposal]]
    twins: NotRequired[list[WrittenTwinShape]]
    criteria: NotRequired[list[CriterionShape]]
    text: NotRequired[str]


class ConsultationShape(TypedDict):
    id: int
    role: str
    state: Annotated[str, OneOf("open", "taken", "dropped")]
    waiting: Annotated[bool, Field(help_text="Its reply has not come yet.")]
    model: str
    simulated: bool
    about: dict[str, Any]
    instruction: str
    request: list[MessageShape]
    tries: list[TryShape]
    text: str
    edited: bool
    cost: int | None
    problem: Annotated[str, Field(help_text="Why nothing could be read.")]
    line: Annotated[
        int, Field(help_text="The line of the reply at which it goes wrong; 0 unknown.")
    ]
    reading: ReplyReading | None
    created_at: datetime
    created_by: str


class ModelEntryShape(TypedDict):
    part: str
    quote: str
    message: int
    start: int
    end: int
    clause: int | None
    value: Any | None
    why: str


class ModelReadingShape(TypedDict):
    """entries: what both passes say; alone: how many things one of them said alone, which are not
    shown. unread: passes whose reply cannot be read. only: the clauses that are still to be read where
    the others were read before, none for all. standing: the model that reads every saved version."""

    passes: int
    wanted: int
    unread: int
    only: list[int]
    model: str
    simulated: bool
    cost_at_most: int | None
    entries: list[ModelEntryShape]
    alone: int
    standing: int | None
    failure: Annotated[str, Field(help_text="why the last call gave no reply; empty where it did")]


class StandingReaderShape(TypedDict):
    standing: int | None


class MaybeConsultation(TypedDict):
    consultation: ConsultationShape | None


class ConsultedShape(MaybeConsultation):
    prepared: Annotated[PreparedShape | None, Field(help_text="Null where it was asked.")]
