"""Executors: where units run. The local one runs them in this process's event loop."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator, Callable, Coroutine, Mapping
from typing import Any, Protocol

from nomikon.engine.flights import Flights
from nomikon.engine.run_unit import Caller, run_unit
from nomikon.engine.units import Unit, UnitResult
from nomikon.models.types import Answer


class Executor(Protocol):
    """Runs units and yields their results in the order in which they end.

    Use as an async context manager around all runs.
    """

    def run(
        self, units: AsyncIterator[Unit], scorecard: Mapping[str, Any], concurrency: int
    ) -> AsyncIterator[UnitResult]:
        """Run all units, at most `concurrency` at a time; scorecard is its plain document."""


async def as_they_end(
    units: AsyncIterator[Unit],
    one: Callable[[Unit], Coroutine[Any, Any, UnitResult]],
    concurrency: int,
) -> AsyncIterator[UnitResult]:
    """What `one` makes of each unit, in the order in which they end, so many under way at a time.

    Tasks are made only as places become free, so that memory does not grow
    with the trial. Leaving the iteration early cancels what is under way.
    """
    under_way: set[asyncio.Task[UnitResult]] = set()
    # Tasks say themselves that they have ended: waiting on all of them anew
    # after every one costs as much again as all the rest.
    ended: asyncio.Queue[asyncio.Task[UnitResult]] = asyncio.Queue()
    try:
        exhausted = False
        while True:
            while not exhausted and len(under_way) < concurrency:
                unit = await anext(units, None)
                if unit is None:
                    exhausted = True
                    break
                task = asyncio.create_task(one(unit))
                under_way.add(task)
                task.add_done_callback(ended.put_nowait)
            if not under_way:
                return
            task = await ended.get()
            under_way.discard(task)
            yield task.result()
    finally:
        for task in under_way:
            task.cancel()
        await asyncio.gather(*under_way, return_exceptions=True)


class LocalExecutor:
    """Runs units as tasks of the running event loop."""

    def __init__(self, client: Caller) -> None:
        self._client = client
        # Of all trials that run here.
        self._flights: Flights[Answer] = Flights()

    async def __aenter__(self) -> LocalExecutor:
        return self

    async def __aexit__(self, *error: object) -> None:
        """Nothing is kept between runs."""

    async def run(
        self, units: AsyncIterator[Unit], scorecard: Mapping[str, Any], concurrency: int
    ) -> AsyncIterator[UnitResult]:
        """Run all units, at most `concurrency` at a time; the client keeps to the limits."""
        document = json.dumps(scorecard)

        def one(unit: Unit) -> Coroutine[Any, Any, UnitResult]:
            return run_unit(unit, self._client, document, self._flights)

        async for result in as_they_end(units, one, concurrency):
            yield result
