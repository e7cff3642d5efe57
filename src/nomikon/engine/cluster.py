"""The executor that runs units on a Dask cluster: slices of units go out, results come back.

Workers of the cluster call the models and score; they need this package
installed, and the keys by the same names in their own environment. Nothing is
written there: results travel back to the coordinator.
"""

from __future__ import annotations

import asyncio
import json
import math
import os
from collections.abc import AsyncIterator, Coroutine, Mapping, Sequence
from dataclasses import replace
from typing import Any

from nomikon.core.errors import DomainError
from nomikon.engine.executors import as_they_end
from nomikon.engine.flights import Flights
from nomikon.engine.run_unit import run_unit
from nomikon.engine.units import StoredAnswer, Unit, UnitResult
from nomikon.models.client import ModelClient
from nomikon.models.types import Answer, Connection

# Larger slices save messages, smaller ones come back sooner.
LARGEST_SLICE = 32
CONNECT_WITHIN_S = 15.0


class ClusterError(DomainError):
    """The cluster cannot be used."""

    code = "cluster"


class ClusterExecutor:
    """Runs units on the cluster at an address such as tcp://host:8786.

    Each worker gets its share of every limit; they know nothing of each other.
    """

    def __init__(self, address: str) -> None:
        self._address = address
        self._client: Any = None
        self._connecting = asyncio.Lock()
        # Of all trials that run here, by their first request.
        self._flights: Flights[UnitResult] = Flights()

    async def __aenter__(self) -> ClusterExecutor:
        return self

    async def __aexit__(self, *error: object) -> None:
        if self._client is not None:
            await self._client.close()

    async def run(
        self, units: AsyncIterator[Unit], scorecard: Mapping[str, Any], concurrency: int
    ) -> AsyncIterator[UnitResult]:
        """Run all units, at most `concurrency` at a time over all workers."""
        slices = _Slices(await self._connected(), dict(scorecard), concurrency)
        try:
            async for result in as_they_end(units, lambda u: self._one(u, slices), concurrency):
                yield result
        finally:
            await slices.stop()

    async def _one(self, unit: Unit, slices: _Slices) -> UnitResult:
        """One output; where its first request is just being made for another, with what that gets.

        Workers know nothing of each other, so it is here that equal requests meet.
        """
        first = unit.first
        # Asked afresh is asked on purpose.
        if first is None or unit.generation or first.key in unit.known:
            return await slices.result(unit)

        async def go() -> UnitResult:
            result = await slices.result(unit)
            if first.key not in _answers(result):
                raise _NothingHadError(result)
            return result

        try:
            result, shared = await self._flights.answer(first.key, go)
        except _NothingHadError as nothing:
            return nothing.result
        if not shared:
            return result
        return await slices.result(replace(unit, known={**_answers(result), **unit.known}))

    async def _connected(self) -> Any:
        async with self._connecting:
            if self._client is None:
                try:
                    from distributed import Client
                except ImportError as error:
                    raise ClusterError(
                        "a cluster is named, but Dask is not installed: pip install "
                        "'nomikon[cluster]'"
                    ) from error
                try:
                    self._client = await Client(
                        self._address, asynchronous=True, timeout=CONNECT_WITHIN_S
                    )
                except (OSError, ValueError) as error:
                    raise ClusterError(
                        f"no cluster answers at {self._address}: {str(error)[:200]}"
                    ) from error
        return self._client


class _NothingHadError(Exception):
    """An output whose first request got no answer: another that waits for it asks itself."""

    def __init__(self, result: UnitResult) -> None:
        self.result = result


def _answers(result: UnitResult) -> dict[str, StoredAnswer]:
    """What an output's calls got, for another that asks the same."""
    return {
        c.answer_key: StoredAnswer(**c.received(), call=c.reused_from)
        for c in result.calls
        if c.finish_reason is not None or c.text
    }


class _Slices:
    """Gathers the units that wait and sends them out together, of one trial."""

    def __init__(self, client: Any, scorecard: dict[str, Any], concurrency: int) -> None:
        self._client, self._scorecard, self._concurrency = client, scorecard, concurrency
        self._waiting: list[tuple[Unit, asyncio.Future[UnitResult]]] = []
        self._tasks: set[asyncio.Task[None]] = set()

    async def result(self, unit: Unit) -> UnitResult:
        """Send a unit with the next slice and wait for what becomes of it."""
        own: asyncio.Future[UnitResult] = asyncio.get_running_loop().create_future()
        self._waiting.append((unit, own))
        if len(self._waiting) == 1:
            self._begin(self._gather())
        return await own

    async def stop(self) -> None:
        """Cancel what is under way."""
        for task in self._tasks:
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)

    def _begin(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _gather(self) -> None:
        # While the cluster is asked for its size, the others that are to go along come in.
        try:
            n_workers, n_threads = await self._size()
        except Exception as error:  # noqa: BLE001
            _tell(self._taken(len(self._waiting)), error)
            return
        most = max(1, min(LARGEST_SLICE, math.ceil(self._concurrency / n_threads)))
        while self._waiting:
            self._begin(self._send(self._taken(most), n_workers))

    def _taken(self, most: int) -> list[tuple[Unit, asyncio.Future[UnitResult]]]:
        taken, self._waiting = self._waiting[:most], self._waiting[most:]
        return taken

    async def _send(
        self, some: list[tuple[Unit, asyncio.Future[UnitResult]]], n_workers: int
    ) -> None:
        units = [_with_share(unit, n_workers) for unit, _ in some]
        # Not pure: the same slice asked again is a new question.
        future = self._client.submit(run_slice, units, self._scorecard, pure=False)
        try:
            results = await future
        except asyncio.CancelledError:
            await self._client.cancel([future])
            raise
        except Exception as error:  # noqa: BLE001
            _tell(some, error)
            return
        for (_, own), result in zip(some, results, strict=True):
            if not own.done():
                own.set_result(result)

    async def _size(self) -> tuple[int, int]:
        """Workers and threads now; waits for the first worker."""
        try:
            await self._client.wait_for_workers(1, timeout=CONNECT_WITHIN_S)
        except TimeoutError as error:
            raise ClusterError("the cluster has no workers") from error
        threads = await self._client.nthreads()
        return len(threads), sum(threads.values())


def _tell(some: list[tuple[Unit, asyncio.Future[UnitResult]]], error: Exception) -> None:
    """Whoever waits for one of these units gets the error."""
    for _, own in some:
        if not own.done():
            own.set_exception(error)


def _with_share(unit: Unit, parts: int) -> Unit:
    """The unit with the share of every limit that one of several workers may use."""

    def shared(connection: Connection) -> Connection:
        return replace(
            connection,
            limits=connection.limits.shared_by(parts),
            model_limits=connection.model_limits.shared_by(parts),
        )

    return replace(
        unit,
        arm=replace(unit.arm, connection=unit.arm.connection and shared(unit.arm.connection)),
        judges={
            n: j and replace(j, connection=shared(j.connection)) for n, j in unit.judges.items()
        },
        user=unit.user and replace(unit.user, connection=shared(unit.user.connection)),
    )


# One client for each event loop of a worker process: its limits hold for all slices.
_clients: dict[int, tuple[ModelClient, Flights[Answer]]] = {}


async def run_slice(units: Sequence[Unit], scorecard: Mapping[str, Any]) -> list[UnitResult]:
    """Run some units on this worker; called by the cluster."""
    loop = id(asyncio.get_running_loop())
    if loop not in _clients:
        _clients[loop] = await ModelClient(keys=os.environ).__aenter__(), Flights(held_s=0)
    (client, flights), document = _clients[loop], json.dumps(scorecard)
    return list(await asyncio.gather(*[run_unit(u, client, document, flights) for u in units]))
