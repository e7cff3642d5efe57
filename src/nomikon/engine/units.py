"""What travels between the coordinator and an executor: plain data only."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import Any

from nomikon.core.measures import Score, Turn
from nomikon.core.prompts import Message
from nomikon.core.replies.reasoning import AUTO
from nomikon.core.trials import Conversation, Outcome
from nomikon.models.types import Connection

CellKey = tuple[str, str, int]
# What a call of an output is: part of its answer, a turn of the played user, a judgement, or the
# answer to a twin of its case.
ANSWER, USER, JUDGEMENT, TWIN = "answer", "user", "judgement", "twin"
PARTS = (ANSWER, USER, JUDGEMENT, TWIN)
# What is asked beside the answer: where it fails the output stays whole, with a score missing.
BESIDE = (JUDGEMENT, TWIN)


@dataclass(frozen=True)
class Callee:
    """A model that is asked beside the arm's own: a judge, or the one that plays the user.

    reasoning: where its reasoning stands.
    """

    key: str
    model: str
    connection: Connection
    price_in_nano: int | None = None
    price_out_nano: int | None = None
    unsupported: tuple[str, ...] = ()
    price_cached_nano: int | None = None
    price_reasoning_nano: int | None = None
    reasoning: str = AUTO


@dataclass(frozen=True)
class ArmSpec:
    """One arm, with all that a call of it needs. Prices in billionths per million tokens.

    connection: None where its answers were brought in: they are judged and never asked for.
    Without prices of their own, cached and reasoning tokens cost what others cost. reasoning:
    where the model's reasoning stands.
    """

    key: str
    messages: tuple[Message, ...]
    settings: Mapping[str, Any]
    model: str
    connection: Connection | None
    price_in_nano: int | None = None
    price_out_nano: int | None = None
    unsupported: tuple[str, ...] = ()
    price_cached_nano: int | None = None
    price_reasoning_nano: int | None = None
    reasoning: str = AUTO


@dataclass(frozen=True)
class CaseSpec:
    """One case revision: its key, inputs and reference, and its stratum for the order.

    forms: other references that are as right.
    """

    key: str
    inputs: Mapping[str, Any]
    reference: str | None = None
    stratum: str = ""
    conversation: Conversation | None = None
    forms: tuple[str, ...] = ()


@dataclass(frozen=True)
class TrialSpec:
    """A trial as the engine sees it. scorecard is the plain document of a scorecard.

    budget: billionths of the currency, None for no limit; spent: what it has
    newly cost so far. concurrency: outputs under way at a time. continuations:
    how often an answer that was cut is continued. judges: whom each measure that has something asked
    asks, by its name; None for the arm itself. user: the model that plays the user in conversations. racing: with how
    many arms the race began whose losers are dropped, None where none is run. examples: cases
    that an arm shows as a worked example; they count for no arm. reference: the arm that the
    plan holds the others against; it leaves no race.
    """

    key: str
    arms: tuple[ArmSpec, ...]
    cases: tuple[CaseSpec, ...]
    repeats: int
    seed: int
    scorecard: Mapping[str, Any]
    concurrency: int = 32
    generation: int = 0
    budget: int | None = None
    spent: int = 0
    continuations: int = 0
    judges: Mapping[str, Callee | None] = field(default_factory=dict)
    user: Callee | None = None
    racing: int | None = None
    examples: frozenset[str] = frozenset()
    reference: str | None = None


@dataclass(frozen=True, kw_only=True)
class Received:
    """What came back from a model, as it is kept and handed on; every holder has these fields.

    tokens_in, tokens_out: as reported, else estimated (tokens_estimated). cost: in billionths, None
    without a price. latency_ms, first_ms: to the last and to the first piece. reasoning, refusal,
    tool_calls: what came in fields of their own.
    """

    text: str = ""
    finish_reason: str | None = None
    tokens_in: int | None = None
    tokens_out: int | None = None
    tokens_cached: int | None = None
    tokens_reasoning: int | None = None
    tokens_estimated: bool = False
    cost: int | None = None
    latency_ms: float = 0.0
    first_ms: float | None = None
    model_identity: str = ""
    reasoning: str = ""
    refusal: str = ""
    tool_calls: tuple[tuple[str, str], ...] = ()

    def received(self) -> dict[str, Any]:
        """These fields alone, by name."""
        return {name: getattr(self, name) for name in RECEIVED}


RECEIVED = tuple(f.name for f in fields(Received))


@dataclass(frozen=True)
class StoredAnswer(Received):
    """An answer had before to exactly this request.

    call: where it is kept; None where another output has just had it and it is not stored yet.
    """

    call: int | None


@dataclass(frozen=True)
class Ask:
    """One request of an output: its step, its exact body, its key in the store of answers.

    messages: what the body was made from. continues: whether it asks for the
    rest of the answer before, or once more for a judgement that could not be
    read. part: what the call is for; callee: whom it asks,
    None for the arm's own model. step: of what is asked beside the answer the name of its measure.
    """

    step: str | None
    body: Mapping[str, Any]
    key: str
    messages: tuple[Message, ...]
    continues: bool = False
    part: str = ANSWER
    callee: Callee | None = None


@dataclass(frozen=True)
class HadOutput:
    """An output that is stored and only to be judged: what its measures look at.

    anew: the generation in which a judge is asked that could not be read, by measure.
    """

    output: str
    text: str
    finish_reason: str | None
    outcome: Outcome
    turns: tuple[Turn, ...] = ()
    tokens_in: int | None = None
    tokens_out: int | None = None
    cost: int | None = None
    latency_ms: float | None = None
    anew: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class Unit:
    """One whole output to be had: an arm, a case, a repeat.

    known: stored answers to its calls by answer key; what is known is not
    asked for again. first: its first request, where that was made already.
    continuations: how often an answer that is cut is continued. had: the output,
    where it is stored and only its judgements are to be had. begun: an answer that was cut, whose
    rest alone is asked for; of a prompt of one step.
    """

    arm: ArmSpec
    case: CaseSpec
    repeat: int
    trial_seed: int
    generation: int = 0
    known: Mapping[str, StoredAnswer] = field(default_factory=dict)
    continuations: int = 0
    first: Ask | None = None
    judges: Mapping[str, Callee | None] = field(default_factory=dict)
    user: Callee | None = None
    had: HadOutput | None = None
    begun: str = ""

    @property
    def key(self) -> CellKey:
        """What tells this output from every other of its trial."""
        return (self.arm.key, self.case.key, self.repeat)


@dataclass(frozen=True)
class CallRecord(Received):
    """One request of an output and what came of it, in the order they were made.

    continues: it asked for the rest of the answer before, or once more for a
    judgement that could not be read. part: what it was for. callee: key of the model asked, where that is not the arm's. failure:
    the code of a call beside the answer that gave none. shared: the answer was just being had by
    another output, which pays. wasted: tokens and cost of attempts that broke off.
    """

    position: int
    step: str | None
    request: Mapping[str, Any]
    answer_key: str
    continues: bool = False
    attempts: int = 1
    reused_from: int | None = None
    part: str = ANSWER
    callee: str | None = None
    failure: str = ""
    shared: bool = False
    wasted_in: int = 0
    wasted_out: int = 0
    wasted_cost: int = 0

    @property
    def newly_spent(self) -> int:
        """What it cost that was not paid for before or by another; unpriced counts nothing."""
        own = 0 if self.shared or self.reused_from is not None else self.cost or 0
        return own + self.wasted_cost


@dataclass(frozen=True)
class UnitResult:
    """What became of one output.

    outcome: answered, cut, declined, empty or failed; why tells how it was
    told. failure: the code, for failed ones. scores: by measure name; total None is missing. turns: the conversation, where it is
    one. had: key of the stored output that was only judged. suspected: what it only looks like.
    reasoning: what was thought before the answer, and is no part of its text.
    """

    arm_key: str
    case_key: str
    repeat: int
    outcome: str
    why: str
    text: str
    finish_reason: str | None
    failure: str | None
    calls: tuple[CallRecord, ...]
    scores: Mapping[str, Score] = field(default_factory=dict)
    total: float | None = None
    total_why: str = ""
    ungated: float | None = None
    generation: int = 0
    turns: tuple[Turn, ...] = ()
    had: str | None = None
    suspected: str = ""
    reasoning: str = ""

    @property
    def newly_spent(self) -> int:
        """What its calls cost, those from the store left out; unpriced ones count nothing."""
        return sum(c.newly_spent for c in self.calls)

    @property
    def key(self) -> CellKey:
        """The key of the unit this answers."""
        return (self.arm_key, self.case_key, self.repeat)
