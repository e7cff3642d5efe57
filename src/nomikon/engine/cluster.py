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
from collections.abc import AsyncIterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from nomikon.core.errors import DomainError
from nomikon.engine.flights import Flights
from nomikon.engine.run_unit import run_unit
from nomikon.engine.units import Unit, UnitResult
from nomikon.models import ModelClient
from nomikon.models.types import Connection

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

    async def __aenter__(self) -> ClusterExecutor:
        return self

    async def __aexit__(self, *error: object) -> None:
        if self._client is not None:
            await self._client.close()

    async def run(
        self, units: AsyncIterator[Unit], scorecard: Mapping[str, Any], concurrency: int
    ) -> AsyncIterator[UnitResult]:
        """Run all units, at most `concurrency` at a time over all workers."""
        client = await self._connected()
        from distributed import wait

        sizes: dict[Any, int] = {}
        exhausted = False
        try:
            while True:
                n_workers, n_threads = await self._size(client)
                most = max(1, min(LARGEST_SLICE, math.ceil(concurrency / n_threads)))
                while not exhausted and sum(sizes.values()) < concurrency:
                    some = [u async for u in _take(units, most)]
                    exhausted = len(some) < most
                    if some:
                        shared = [_with_share(u, n_workers) for u in some]
                        # Not pure: the same slice asked again is a new question.
                        future = client.submit(run_slice, shared, dict(scorecard), pure=False)
                        sizes[future] = len(some)
                if not sizes:
                    return
                done = (await wait(list(sizes), return_when="FIRST_COMPLETED")).done
                for future in done:
                    del sizes[future]
                    for result in await future:
                        yield result
        finally:
            if sizes:
                await client.cancel(list(sizes))

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

    async def _size(self, client: Any) -> tuple[int, int]:
        """Workers and threads now; waits for the first worker."""
        try:
            await client.wait_for_workers(1, timeout=CONNECT_WITHIN_S)
        except TimeoutError as error:
            raise ClusterError(f"the cluster at {self._address} has no workers") from error
        threads = await client.nthreads()
        return len(threads), sum(threads.values())


async def _take(units: AsyncIterator[Unit], most: int) -> AsyncIterator[Unit]:
    for _ in range(most):
        unit = await anext(units, None)
        if unit is None:
            return
        yield unit


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
        arm=replace(unit.arm, connection=shared(unit.arm.connection)),
        judges={n: replace(j, connection=shared(j.connection)) for n, j in unit.judges.items()},
        user=unit.user and replace(unit.user, connection=shared(unit.user.connection)),
    )


# One client for each event loop of a worker process: its limits hold for all slices.
_clients: dict[int, tuple[ModelClient, Flights]] = {}


async def run_slice(units: Sequence[Unit], scorecard: Mapping[str, Any]) -> list[UnitResult]:
    """Run some units on this worker; called by the cluster."""
    loop = id(asyncio.get_running_loop())
    if loop not in _clients:
        _clients[loop] = await ModelClient(keys=os.environ).__aenter__(), Flights(held_s=0)
    (client, flights), document = _clients[loop], json.dumps(scorecard)
    return list(await asyncio.gather(*[run_unit(u, client, document, flights) for u in units]))
