"""One client for all connections: sends a call, streams its answer, tries again where it may."""

from __future__ import annotations

import asyncio
import random
import time
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import replace
from types import TracebackType
from typing import Any, Protocol

from tenacity import (
    AsyncRetrying,
    RetryCallState,
    retry_if_exception,
    stop_after_attempt,
)

from nomikon.core.trials.estimates import DEFAULT_OUTPUT_TOKENS, estimate_messages
from nomikon.models.embeddings import batches
from nomikon.models.errors import CallFailure
from nomikon.models.http import HttpTransport
from nomikon.models.protocols import texts_of
from nomikon.models.traffic import Traffic
from nomikon.models.types import TRIAL, Answer, Connection, Embedded, Limits, OfferedModel, Waste

FIRST_BACKOFF_S = 0.4
LONGEST_BACKOFF_S = 20.0

Sleep = Callable[[float], Awaitable[None]]


class Transport(Protocol):
    """Makes single attempts; the one door to the network."""

    async def __aenter__(self) -> Any:
        """Open what attempts need."""

    async def __aexit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        """Close it."""

    async def attempt(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        on_text: Callable[[str], None] | None = None,
    ) -> Answer:
        """One request and its whole answer. Raises CallFailure."""

    async def embed(self, connection: Connection, model: str, texts: Sequence[str]) -> Embedded:
        """Texts as vectors, in one request. Raises CallFailure."""

    async def list_models(self, connection: Connection) -> list[OfferedModel]:
        """The models a server says it has. Raises CallFailure."""


class ModelClient:
    """Calls models. Use as an async context manager.

    keys: values by name, the one place where a key's value enters.
    clock: seconds that only go forward. sleep: how to wait between attempts.
    traffic: who may call when; one for all clients of a process. transport:
    makes the attempts; this process's own event loop when absent.
    """

    def __init__(
        self,
        *,
        keys: Mapping[str, str],
        clock: Callable[[], float] = time.perf_counter,
        sleep: Sleep = asyncio.sleep,
        traffic: Traffic | None = None,
        transport: Transport | None = None,
    ) -> None:
        self.traffic = traffic or Traffic(clock=clock, sleep=sleep)
        self._sleep = sleep
        self._transport = transport or HttpTransport(keys=keys, clock=clock)

    async def __aenter__(self) -> ModelClient:
        await self._transport.__aenter__()
        return self

    async def __aexit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.traffic.close()
        await self._transport.__aexit__(kind, error, trace)

    async def call(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        *,
        on_text: Callable[[str], None] | None = None,
        priority: int = TRIAL,
    ) -> Answer:
        """Send one request and wait for its whole answer.

        on_text is given each piece as it comes; after a failed attempt the
        answer begins anew. Between two attempts the place is given up, so that
        others may use it. Raises CallFailure with the number of attempts.
        """
        tokens = _tokens(connection, body)
        sent = 0
        waste = Waste()

        async def attempt() -> Answer:
            nonlocal sent, waste
            ticket = await self.traffic.enter(connection, model, tokens=tokens, priority=priority)
            sent += 1
            try:
                answer = await self._transport.attempt(connection, model, body, on_text)
            except CallFailure as failure:
                self.traffic.failed(ticket, failure)
                waste += failure.waste
                failure.waste = waste
                raise
            except BaseException:
                self.traffic.dropped(ticket)
                raise
            self.traffic.answered(ticket, answer)
            return answer

        try:
            return await attempt()
        except CallFailure as failure:
            # Most calls need no second attempt and pay nothing for its machinery.
            failure.attempts = sent
            if not failure.may_retry or connection.max_attempts < 2:
                raise
            first = failure
        retrying = AsyncRetrying(
            retry=retry_if_exception(lambda e: isinstance(e, CallFailure) and e.may_retry),
            stop=stop_after_attempt(connection.max_attempts - 1),
            wait=_wait,
            sleep=self._sleep,
            reraise=True,
        )
        await self._sleep(_wait_s(first, 1))
        try:
            answer: Answer = await retrying(attempt)
            return replace(answer, attempts=sent, waste=waste)
        except CallFailure as failure:
            failure.attempts = sent
            raise

    async def list_models(self, connection: Connection) -> list[OfferedModel]:
        """The models a server says it has. Raises CallFailure."""
        return await self._transport.list_models(connection)

    async def embed(self, connection: Connection, model: str, texts: Sequence[str]) -> Embedded:
        """Texts as vectors, in as many requests as they need. Raises CallFailure."""
        vectors: list[tuple[float, ...]] = []
        used: list[int | None] = []
        for batch in batches(texts):
            found = await self._transport.embed(connection, model, batch)
            vectors += found.vectors
            used.append(found.tokens_in)
        known = [n for n in used if n is not None]
        return Embedded(tuple(vectors), sum(known) if len(known) == len(used) else None)


def _tokens(connection: Connection, body: Mapping[str, Any]) -> float:
    """Tokens of prompt and answer, estimated only where a limit asks for them."""
    limits: tuple[Limits, ...] = (connection.limits, connection.model_limits)
    if all(x.tokens_per_minute is None for x in limits):
        return 0.0
    asked = body.get("max_tokens") or body.get("parameters", {}).get("max_tokens")
    return estimate_messages(texts_of(body)) + (asked or DEFAULT_OUTPUT_TOKENS)


def _wait(state: RetryCallState) -> float:
    """Seconds to the next attempt: as the server asked, else jittered and growing."""
    failure = state.outcome.exception() if state.outcome else None
    # The first attempt was made before this count began.
    return _wait_s(failure, state.attempt_number + 1)


def _wait_s(failure: BaseException | None, attempts: int) -> float:
    if isinstance(failure, CallFailure) and failure.retry_after_s is not None:
        return failure.retry_after_s
    # Full jitter (Brooker, 2015): anywhere up to the growing limit.
    return random.uniform(0, min(LONGEST_BACKOFF_S, FIRST_BACKOFF_S * 2 ** (attempts - 1)))
