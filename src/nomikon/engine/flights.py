"""Equal requests under way are paid once: the first asks, the others wait for its answer."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

from nomikon.models.types import Answer


class Flights:
    """Requests under way in one event loop, by their answer key."""

    def __init__(self) -> None:
        self._under_way: dict[str, asyncio.Future[Answer | None]] = {}

    async def answer(self, key: str, ask: Callable[[], Awaitable[Answer]]) -> tuple[Answer, bool]:
        """The answer, and whether another asked for it.

        Where the one that asks fails or is stopped, one of those that wait asks in its place. Raises
        what `ask` raises.
        """
        while (under_way := self._under_way.get(key)) is not None:
            # Whoever waits may be stopped; that must not stop the one that asks.
            found = await asyncio.shield(under_way)
            if found is not None:
                return found, True
        own: asyncio.Future[Answer | None] = asyncio.get_running_loop().create_future()
        self._under_way[key] = own
        found = None
        try:
            found = await ask()
        finally:
            del self._under_way[key]
            own.set_result(found)
        return found, False
