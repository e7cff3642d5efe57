"""Plain data about connections and answers."""

from __future__ import annotations

from dataclasses import dataclass, field

CHAT_COMPLETIONS = "chat-completions"
PROTOCOLS = (CHAT_COMPLETIONS,)


@dataclass(frozen=True)
class Connection:
    """Where calls go. The key travels by name: `key_env` is an environment variable.

    revision changes whenever anything that decides the answers changes.
    call_timeout_s: from sending to the last piece. stall_timeout_s: between pieces.
    """

    id: str
    revision: int
    protocol: str
    base_url: str
    key_env: str | None = None
    call_timeout_s: float = 120.0
    stall_timeout_s: float = 30.0
    max_attempts: int = 4
    concurrency: int = 32

    @property
    def identity(self) -> str:
        """Identity and revision, as they enter an answer's key."""
        return f"{self.id}:{self.revision}"


@dataclass
class Usage:
    """Tokens as the server counted them; None where it did not say."""

    tokens_in: int | None = None
    tokens_out: int | None = None


@dataclass(frozen=True)
class Answer:
    """One answer as received.

    latency_ms: from sending to the last piece, of the attempt that succeeded.
    first_ms: to the first piece of text, None when there was none.
    attempts: 1 when nothing had to be tried again.
    """

    text: str
    finish_reason: str | None
    usage: Usage = field(default_factory=Usage)
    latency_ms: float = 0.0
    first_ms: float | None = None
    model_identity: str = ""
    attempts: int = 1
