"""What travels between the coordinator and an executor: plain data only."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from nomikon.core.prompts import Message
from nomikon.models.types import Connection

CellKey = tuple[str, str, int]


@dataclass(frozen=True)
class ArmSpec:
    """One arm, with all that a call of it needs. Prices in billionths per million tokens."""

    key: str
    messages: tuple[Message, ...]
    settings: Mapping[str, Any]
    model: str
    connection: Connection
    price_in_nano: int | None = None
    price_out_nano: int | None = None
    unsupported: tuple[str, ...] = ()


@dataclass(frozen=True)
class CaseSpec:
    """One case revision: its key, inputs and reference, and its stratum for the order."""

    key: str
    inputs: Mapping[str, Any]
    reference: str | None = None
    stratum: str = ""


@dataclass(frozen=True)
class TrialSpec:
    """A trial as the engine sees it. scorecard is the plain document of a scorecard.

    budget: billionths of the currency, None for no limit; spent: what it has
    newly cost so far. concurrency: outputs under way at a time. continuations:
    how often an answer that was cut is continued.
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


@dataclass(frozen=True)
class StoredAnswer:
    """An answer had before to exactly this request; call is where it is kept."""

    call: int
    text: str
    finish_reason: str | None
    tokens_in: int | None
    tokens_out: int | None
    tokens_estimated: bool
    cost: int | None
    latency_ms: float
    first_ms: float | None
    model_identity: str


@dataclass(frozen=True)
class Ask:
    """One request of an output: its step, its exact body, its key in the store of answers.

    messages: what the body was made from. continues: whether it asks for the
    rest of the answer before.
    """

    step: str | None
    body: Mapping[str, Any]
    key: str
    messages: tuple[Message, ...]
    continues: bool = False


@dataclass(frozen=True)
class Unit:
    """One whole output to be had: an arm, a case, a repeat.

    known: stored answers to its calls by answer key; what is known is not
    asked for again. first: its first request, where that was made already.
    continuations: how often an answer that is cut is continued.
    """

    arm: ArmSpec
    case: CaseSpec
    repeat: int
    trial_seed: int
    generation: int = 0
    known: Mapping[str, StoredAnswer] = field(default_factory=dict)
    continuations: int = 0
    first: Ask | None = None

    @property
    def key(self) -> CellKey:
        """What tells this output from every other of its trial."""
        return (self.arm.key, self.case.key, self.repeat)


@dataclass(frozen=True)
class CallRecord:
    """One request of an output and what came of it, in the order they were made.

    continues: it asked for the rest of the answer before.
    """

    position: int
    step: str | None
    request: Mapping[str, Any]
    answer_key: str
    continues: bool = False
    text: str = ""
    finish_reason: str | None = None
    tokens_in: int | None = None
    tokens_out: int | None = None
    tokens_estimated: bool = False
    cost: int | None = None
    latency_ms: float = 0.0
    first_ms: float | None = None
    model_identity: str = ""
    attempts: int = 1
    reused_from: int | None = None


@dataclass(frozen=True)
class UnitResult:
    """What became of one output.

    outcome: answered, cut, declined, empty or failed; why tells how it was
    told. failure: the code, for failed ones. scores: by measure name, value or
    None, and why; total None is missing.
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
    scores: Mapping[str, tuple[float | None, str]] = field(default_factory=dict)
    total: float | None = None
    total_why: str = ""
    ungated: float | None = None
    generation: int = 0

    @property
    def newly_spent(self) -> int:
        """What its calls cost, those from the store left out; unpriced ones count nothing."""
        return sum(c.cost or 0 for c in self.calls if c.reused_from is None)

    @property
    def key(self) -> CellKey:
        """The key of the unit this answers."""
        return (self.arm_key, self.case_key, self.repeat)
