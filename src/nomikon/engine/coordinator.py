"""The coordinator: decides what is still to be had, hands it out, and alone writes."""

from __future__ import annotations

import asyncio
import contextlib
import itertools
from collections.abc import AsyncGenerator, AsyncIterator, Awaitable, Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

from nomikon.core.measures import read_scorecard
from nomikon.core.trials import case_order, cells_in_order
from nomikon.engine.executors import Executor
from nomikon.engine.purse import Purse
from nomikon.engine.run_unit import first_key
from nomikon.engine.store import TrialStore
from nomikon.engine.units import CellKey, StoredAnswer, TrialSpec, Unit, UnitResult

COMPLETE, CANCELLED, PAUSED = "complete", "cancelled", "paused"

# At most this many outputs a transaction, then a short pause: SQLite has one
# writer, and a person's click must get its turn between two batches.
BATCH = 200
PAUSE_S = 0.01
# Stored answers are looked up for this many outputs at once.
LOOK_UP = 100
# A batch is written after this long even if it is small: the board stays live.
FLUSH_S = 0.25

Sleep = Callable[[float], Awaitable[None]]


def remaining_units(spec: TrialSpec, done: set[CellKey]) -> Iterator[Unit]:
    """Every output not yet stored, case by case across arms."""
    order = case_order([c.stratum for c in spec.cases], seed=spec.seed)
    for cell in cells_in_order(order, len(spec.arms), spec.repeats):
        unit = Unit(
            spec.arms[cell.arm], spec.cases[cell.case], cell.repeat, spec.seed, spec.generation
        )
        if unit.key not in done:
            yield unit


async def run_trial(
    store: TrialStore,
    executor: Executor,
    *,
    sleep: Sleep = asyncio.sleep,
) -> str:
    """Run one trial to its end, until it is cancelled, or until its budget is spent.

    Returns the state it ended in: complete, cancelled or paused.

    What is stored already is not asked for again, so a trial whose worker was
    killed goes on where it stood: at most the calls under way are lost.
    """
    loop = asyncio.get_running_loop()
    # One thread, so that the store is never called twice at once and the event
    # loop never waits for the disk.
    with ThreadPoolExecutor(max_workers=1, thread_name_prefix="store") as thread:
        spec = await loop.run_in_executor(thread, store.load)
        done = await loop.run_in_executor(thread, store.done)
        card = read_scorecard(spec.scorecard)

        async def look_up(keys: Sequence[str]) -> dict[str, StoredAnswer]:
            return await loop.run_in_executor(thread, store.known, keys)

        units = _with_known(remaining_units(spec, done), look_up)
        purse = Purse(spec.budget, spec.spent)
        results = executor.run(purse.hand_out(units), card, spec.concurrency)
        state = COMPLETE
        async with contextlib.aclosing(_batches(purse.pay(results))) as batches:
            async for batch in batches:
                if batch:
                    await loop.run_in_executor(thread, store.save, batch)
                if await loop.run_in_executor(thread, store.cancelled):
                    state = CANCELLED
                    break
                await sleep(PAUSE_S)
        if state == COMPLETE and purse.closed:
            state = PAUSED
        await loop.run_in_executor(thread, store.finish, state)
    return state


async def _with_known(
    units: Iterator[Unit], look_up: Callable[[Sequence[str]], Awaitable[dict[str, StoredAnswer]]]
) -> AsyncIterator[Unit]:
    """Units with what the store already knows of their first calls, looked up some at a time.

    A later step's request depends on an earlier answer; it is asked for anew.
    """
    while some := list(itertools.islice(units, LOOK_UP)):
        keys = [first_key(u) for u in some]
        found = await look_up([k for k in keys if k is not None])
        for unit, key in zip(some, keys, strict=True):
            stored = found.get(key) if key is not None else None
            yield unit if stored is None or key is None else replace(unit, known={key: stored})


async def _batches(results: AsyncIterator[UnitResult]) -> AsyncGenerator[list[UnitResult], None]:
    """Results in batches: full ones at once, small ones after a moment.

    An empty batch is given too when nothing ended for a while, so that a wish
    to stop is heard even while a slow model thinks.
    """
    queue: asyncio.Queue[UnitResult | None] = asyncio.Queue(maxsize=4 * BATCH)

    async def fill() -> None:
        async for result in results:
            await queue.put(result)
        # Only at a good end: a cancelled or broken filling may find the queue full.
        await queue.put(None)

    filling = asyncio.create_task(fill())
    loop = asyncio.get_running_loop()
    try:
        ended = False
        while not ended:
            batch: list[UnitResult] = []
            deadline = loop.time() + FLUSH_S
            while len(batch) < BATCH and not ended:
                try:
                    async with asyncio.timeout_at(deadline):
                        result = await queue.get()
                except TimeoutError:
                    ended = filling.done() and queue.empty()
                    break
                if result is None:
                    ended = True
                else:
                    batch.append(result)
            yield batch
        await filling
    finally:
        if not filling.done():
            filling.cancel()
            # The executor's own clean-up runs inside; its cancellation is what was asked for.
            await asyncio.gather(filling, return_exceptions=True)
        closing = getattr(results, "aclose", None)
        if closing:
            await closing()
