"""Equal requests are paid once: the first asks, the others wait for its answer or find it just had."""

from __future__ import annotations

import asyncio
import time
from collections import OrderedDict
from collections.abc import Awaitable, Callable
from typing import Generic, Protocol, TypeVar


class Had(Protocol):
    """What came of a request."""

    @property
    def text(self) -> str:
        """Its answer."""

    @property
    def reasoning(self) -> str:
        """What was thought before it."""


T = TypeVar("T", bound=Had)

# Between its coming and being found in the store an answer is held here: for so long, as many, and
# none that is longer.
HELD_S, MOST_HELD, LONGEST_HELD = 120.0, 1_000, 10_000


class Flights(Generic[T]):
    """Requests under way in one event loop, by their answer key.

    held_s: for how long an answer is held; 0 where runs that know nothing of each other meet.
    """

    def __init__(
        self, *, held_s: float = HELD_S, clock: Callable[[], float] = time.monotonic
    ) -> None:
        self._held_s, self._clock = held_s, clock
        self._under_way: dict[str, asyncio.Future[T | None]] = {}
        self._had: OrderedDict[str, tuple[float, T]] = OrderedDict()

    async def answer(self, key: str, ask: Callable[[], Awaitable[T]]) -> tuple[T, bool]:
        """The answer, and whether another asked for it.

        Where the one that asks fails or is stopped, one of those that wait asks in its place. Raises
        what `ask` raises.
        """
        while (under_way := self._under_way.get(key)) is not None:
            # Whoever waits may be stopped; that must not stop the one that asks.
            found = await asyncio.shield(under_way)
            if found is not None:
                return found, True
        if (held := self._held(key)) is not None:
            return held, True
        own: asyncio.Future[T | None] = asyncio.get_running_loop().create_future()
        self._under_way[key] = own
        found = None
        try:
            found = await ask()
        finally:
            del self._under_way[key]
            own.set_result(found)
        self._hold(key, found)
        return found, False

    def _held(self, key: str) -> T | None:
        when, answer = self._had.get(key, (0.0, None))
        fresh = self._clock() - when <= self._held_s
        return answer if answer is not None and fresh else None

    def _hold(self, key: str, answer: T) -> None:
        if not self._held_s or len(answer.text) + len(answer.reasoning) > LONGEST_HELD:
            return
        self._had[key] = (self._clock(), answer)
        self._had.move_to_end(key)
        while len(self._had) > MOST_HELD:
            self._had.popitem(last=False)
