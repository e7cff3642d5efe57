"""Tries that are under way: they go on when the page that asked is left, and end when it is said."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Coroutine
from typing import Any, TypeVar

Key = tuple[int, int]
T = TypeVar("T")


class UnderWay:
    """Runs the lines of a try apart from whoever listens. A try is told by its brief and number."""

    def __init__(self) -> None:
        self._tasks: dict[Key, asyncio.Task[None]] = {}
        self._held: set[asyncio.Task[Any]] = set()

    def runs(self, key: Key) -> bool:
        """Whether answers are still on their way."""
        return key in self._tasks

    def stop(self, key: Key) -> bool:
        """End it; whether there was anything to end."""
        task = self._tasks.get(key)
        if task is None:
            return False
        # Asked from the thread of another request.
        task.get_loop().call_soon_threadsafe(task.cancel)
        return True

    def begin(self, key: Key, lines: AsyncIterator[bytes]) -> AsyncIterator[bytes]:
        """Begin at once; the lines as they come. Whoever stops listening, or never does, leaves the
        work to end by itself."""
        queue: asyncio.Queue[bytes | None] = asyncio.Queue()

        async def work() -> None:
            try:
                async for line in lines:
                    queue.put_nowait(line)
            finally:
                self._tasks.pop(key, None)
                queue.put_nowait(None)

        self._tasks[key] = asyncio.create_task(work())
        return _heard(queue)

    async def held(self, work: Coroutine[Any, Any, T]) -> T:
        """What must not be left half done when whoever asked goes away meanwhile."""
        task = asyncio.create_task(work)
        self._held.add(task)
        task.add_done_callback(self._held.discard)
        return await asyncio.shield(task)


async def _heard(queue: asyncio.Queue[bytes | None]) -> AsyncIterator[bytes]:
    while (line := await queue.get()) is not None:
        yield line


# One for the process that serves the page: it is this process that hears the worker.
UNDER_WAY = UnderWay()
