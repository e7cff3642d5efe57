"""Plain data about connections and answers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

CHAT_COMPLETIONS = "chat-completions"
OPEN_INFERENCE = "open-inference"
# What most servers call the limit of an answer's tokens.
OUTPUT_LIMIT = "max_tokens"
# An answer, unpacked, where a connection says nothing else.
MOST_ANSWER_MB = 16

# Who goes first where places are scarce: a person who waits for one answer, then trials.
SINGLE, TRIAL = 0, 1


@dataclass(frozen=True)
class Limits:
    """What may be asked of a connection, or of one model of it; None is no limit.

    concurrency: calls at a time. requests_per_minute, tokens_per_minute: in any
    sixty seconds; tokens of prompt and answer together.
    """

    concurrency: int | None = None
    requests_per_minute: float | None = None
    tokens_per_minute: float | None = None

    def shared_by(self, parts: int) -> Limits:
        """The share of one of several workers that know nothing of each other."""
        if parts <= 1:
            return self
        return Limits(
            None if self.concurrency is None else max(1, self.concurrency // parts),
            None if self.requests_per_minute is None else self.requests_per_minute / parts,
            None if self.tokens_per_minute is None else self.tokens_per_minute / parts,
        )


@dataclass(frozen=True)
class Connection:
    """Where calls go. The key travels by name: `key_name` names it in the client's keys.

    revision changes whenever anything that decides the answers changes.
    call_timeout_s: from sending to the last piece. stall_timeout_s: between pieces.
    limits: of the whole connection; model_limits: of the model that is called. begins: calls at
    a time to begin with where it must be found out what the server bears; None begins at the limits. headers: sent with every request, beside
    the key. body_fields: put into every call's body. output_limit: what this server calls the
    limit of an answer's tokens. most_answer_mb: what an answer may be, unpacked.
    """

    id: str
    revision: int
    protocol: str
    base_url: str
    key_name: str | None = None
    call_timeout_s: float = 120.0
    stall_timeout_s: float = 30.0
    max_attempts: int = 4
    limits: Limits = Limits(concurrency=32)
    model_limits: Limits = Limits()
    begins: int | None = None
    headers: tuple[tuple[str, str], ...] = ()
    body_fields: Mapping[str, Any] = field(default_factory=dict)
    output_limit: str = OUTPUT_LIMIT
    most_answer_mb: int = MOST_ANSWER_MB

    @property
    def identity(self) -> str:
        """Identity and revision, as they enter an answer's key."""
        return f"{self.id}:{self.revision}"


@dataclass
class Usage:
    """Tokens as the server counted them; None where it did not say."""

    tokens_in: int | None = None
    tokens_out: int | None = None
    # Parts of the two: read from the server's own store, and spent on reasoning.
    tokens_cached: int | None = None
    tokens_reasoning: int | None = None


@dataclass(frozen=True)
class Waste:
    """Tokens of attempts that broke off after the server had begun, as reported or else estimated.

    They are charged all the same.
    """

    tokens_in: int = 0
    tokens_out: int = 0

    def __add__(self, other: Waste) -> Waste:
        return Waste(self.tokens_in + other.tokens_in, self.tokens_out + other.tokens_out)


@dataclass(frozen=True)
class Answer:
    """One answer as received.

    latency_ms: from sending to the last piece, of the attempt that succeeded.
    first_ms: to the first piece of text, None when there was none.
    attempts: 1 when nothing had to be tried again. waste: of those that broke off before. reasoning: what came in a field of its own
    and is no part of the text. refusal: the words of a refusal that came in a field of its own.
    tool_calls: names and arguments of tools it called in place of, or beside, an answer.
    """

    text: str
    finish_reason: str | None
    usage: Usage = field(default_factory=Usage)
    latency_ms: float = 0.0
    first_ms: float | None = None
    model_identity: str = ""
    attempts: int = 1
    reasoning: str = ""
    refusal: str = ""
    tool_calls: tuple[tuple[str, str], ...] = ()
    waste: Waste = Waste()


@dataclass(frozen=True)
class Embedded:
    """Vectors of texts in their order, each of length 1 (or 0 for a text of nothing)."""

    vectors: tuple[tuple[float, ...], ...]
    tokens_in: int | None


@dataclass(frozen=True)
class OfferedModel:
    """A model that a server says it has; context_length None where it does not say.

    simulated: the server says itself that it is no real model.
    """

    name: str
    context_length: int | None = None
    simulated: bool = False
