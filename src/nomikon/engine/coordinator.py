"""The coordinator: decides what is still to be had, hands it out, and alone writes."""

from __future__ import annotations

import asyncio
import contextlib
import itertools
import logging
from collections.abc import (
    AsyncGenerator,
    AsyncIterator,
    Awaitable,
    Callable,
    Collection,
    Iterator,
    Mapping,
    Sequence,
)
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any, TypeVar

from nomikon.core.measures import Scorecard, read_scorecard
from nomikon.core.trials import CANCELLED, COMPLETE, FAILED, PAUSED, case_order, cells_in_order
from nomikon.engine.asking import next_ask
from nomikon.engine.executors import Executor
from nomikon.engine.purse import Purse
from nomikon.engine.race import Race
from nomikon.engine.run_unit import UNFORESEEN
from nomikon.engine.store import PAUSE, STOP, StoreBusyError, TrialStore
from nomikon.engine.units import CellKey, HadOutput, StoredAnswer, TrialSpec, Unit, UnitResult

log = logging.getLogger("nomikon.engine")
T = TypeVar("T")

# At most this many outputs a transaction, then a short pause: SQLite has one
# writer, and a person's click must get its turn between two batches.
BATCH = 200
PAUSE_S = 0.01
# Stored answers are looked up for this many outputs at once.
LOOK_UP = 100
# A batch is written after this long even if it is small: the board stays live,
# and a kill costs little more than the calls under way.
FLUSH_S = 0.05
# How often a wish to stop is looked for while nothing ends.
LISTEN_S = 0.25
# One in so many of the outputs in hand waits for its place, its request made.
AHEAD = 2
# How long to wait for a store that takes nothing, at first and at most.
FIRST_WAIT_S = 0.5
LONGEST_WAIT_S = 15.0

Sleep = Callable[[float], Awaitable[None]]


def remaining_units(
    spec: TrialSpec, done: set[CellKey], generations: Mapping[CellKey, int] | None = None
) -> Iterator[Unit]:
    """Every output not yet stored, case by case across arms.

    generations: of the outputs that are asked for afresh.
    """
    for unit in _units(spec, generations or {}):
        if unit.arm.connection is not None and unit.key not in done:
            yield unit


def _units(spec: TrialSpec, generations: Mapping[CellKey, int]) -> Iterator[Unit]:
    """Every cell of the trial, in the order in which it is asked for."""
    order = case_order([c.stratum for c in spec.cases], seed=spec.seed)
    for cell in cells_in_order(order, len(spec.arms), spec.repeats):
        arm, case = spec.arms[cell.arm], spec.cases[cell.case]
        yield Unit(
            arm,
            case,
            cell.repeat,
            spec.seed,
            generations.get((arm.key, case.key, cell.repeat), spec.generation),
            continuations=spec.continuations,
            judges=spec.judges,
            user=spec.user,
        )


def units_to_judge(spec: TrialSpec, unjudged: Mapping[CellKey, HadOutput]) -> Iterator[Unit]:
    """Stored outputs whose judgements are still to be had, in the order they were asked in."""
    if not spec.judges:
        return
    for unit in _units(spec, {}):
        if unit.key in unjudged:
            yield replace(unit, had=unjudged[unit.key])


class _Patient:
    """Asks the store in one thread of its own, and waits out what it cannot take just now.

    The store is never called twice at once, and the event loop never waits for
    the disk. on_trouble is told the reason while it waits, then None.
    """

    def __init__(
        self, thread: ThreadPoolExecutor, sleep: Sleep, on_trouble: Callable[[str | None], None]
    ) -> None:
        self._thread = thread
        self._sleep = sleep
        self._on_trouble = on_trouble

    async def __call__(self, ask: Callable[..., T], *arguments: Any) -> T:
        loop = asyncio.get_running_loop()
        wait = FIRST_WAIT_S
        while True:
            try:
                found = await loop.run_in_executor(self._thread, ask, *arguments)
            except StoreBusyError as error:
                log.warning("the store takes nothing just now: %s", error)
                self._on_trouble(str(error))
                await self._sleep(wait)
                wait = min(wait * 2, LONGEST_WAIT_S)
            else:
                if wait != FIRST_WAIT_S:
                    self._on_trouble(None)
                return found


async def run_trial(
    store: TrialStore,
    executor: Executor,
    *,
    sleep: Sleep = asyncio.sleep,
    on_trouble: Callable[[str | None], None] = lambda reason: None,
) -> str:
    """Run one trial to its end, until it is stopped or paused, or until its budget is spent.

    Returns the state it ended in: complete, cancelled or paused.

    What is stored already is not asked for again, so a trial whose worker was
    killed goes on where it stood: at most the calls under way are lost. While
    the store takes nothing, results wait and no new call is made beyond those
    that fit the queue.
    """
    with ThreadPoolExecutor(max_workers=1, thread_name_prefix="store") as thread:
        patiently = _Patient(thread, sleep, on_trouble)
        spec = await patiently(store.load)
        done = await patiently(store.done)
        generations = await patiently(store.generations)
        # Refused before anything is asked.
        card = read_scorecard(spec.scorecard)
        unjudged = await patiently(store.unjudged) if spec.judges else {}

        async def look_up(keys: Sequence[str]) -> dict[str, StoredAnswer]:
            return await patiently(store.known, keys)

        wanted = itertools.chain(
            units_to_judge(spec, unjudged), remaining_units(spec, done, generations)
        )
        race = Race(spec, done) if spec.racing else None
        units = _with_known(wanted, look_up, card, lambda: race.left if race else set())
        purse = Purse(spec.budget, spec.spent)
        results = executor.run(purse.hand_out(units), spec.scorecard, _at_once(spec))
        state = COMPLETE
        async with contextlib.aclosing(_batches(purse.pay(results))) as batches:
            async for batch in batches:
                if batch:
                    await _kept(patiently, store, batch)
                if race and (cases := race.came_in(r.key for r in batch)):
                    left = race.look(cases, await patiently(store.totals, cases))
                    if left:
                        await patiently(store.drop, left)
                wish = await patiently(store.asked)
                if wish == STOP:
                    state = CANCELLED
                    break
                if wish == PAUSE:
                    # What is under way is paid for: it comes in and is kept.
                    purse.close()
                await sleep(PAUSE_S)
        if state == COMPLETE and purse.closed:
            state = PAUSED
        return await patiently(store.finish, state)


async def _kept(patiently: _Patient, store: TrialStore, batch: Sequence[UnitResult]) -> None:
    """Store a batch; where that fails for another reason than the disk, one by one.

    What cannot be stored at all is stored as a failure: its spend is known, and it is asked again
    when the trial goes on.
    """
    try:
        await patiently(store.save, batch)
    except Exception as error:
        if len(batch) > 1:
            for result in batch:
                await _kept(patiently, store, [result])
            return
        log.exception("an output cannot be stored")
        await patiently(store.save, [_unstorable(batch[0], error)])


def _unstorable(result: UnitResult, error: Exception) -> UnitResult:
    bare: dict[str, Any] = {
        "text": "",
        "reasoning": "",
        "refusal": "",
        "tool_calls": (),
        "finish_reason": None,
    }
    return replace(
        result,
        outcome=FAILED,
        failure=UNFORESEEN,
        why=f"something unforeseen in storing it ({type(error).__name__}); the log tells more",
        calls=tuple(replace(c, **bare, model_identity="", request={}) for c in result.calls),
        text="",
        reasoning="",
        turns=(),
        finish_reason=None,
        scores={},
        total=None,
        suspected="",
    )


def _at_once(spec: TrialSpec) -> int:
    """Outputs in hand: some more than may be asked, ready to go when a place is free.

    Not under a budget: what is in hand would still be asked once it is spent.
    """
    return spec.concurrency + (0 if spec.budget is not None else spec.concurrency // AHEAD)


async def _with_known(
    units: Iterator[Unit],
    look_up: Callable[[Sequence[str]], Awaitable[dict[str, StoredAnswer]]],
    card: Scorecard,
    left: Callable[[], Collection[str]] = tuple,
) -> AsyncIterator[Unit]:
    """Units with what the store already knows of their calls, looked up some at a time.

    left: arms that are out of the race by now; their units are passed over. A later request depends on an earlier answer, so the store is asked again
    for those that found one, until nothing more is found.
    """
    running = (u for u in units if u.arm.key not in left())
    while some := list(itertools.islice(running, LOOK_UP)):
        open_places = list(range(len(some)))
        while open_places:
            asks = {place: ask for place in open_places if (ask := next_ask(some[place], card))}
            found = await look_up(list({ask.key for ask in asks.values()}))
            open_places = []
            for place, ask in asks.items():
                unit = some[place]
                if ask.key in found:
                    known = {**unit.known, ask.key: found[ask.key]}
                    some[place] = replace(unit, known=known)
                    open_places.append(place)
                elif not unit.known and unit.had is None and unit.case.conversation is None:
                    some[place] = replace(unit, first=ask)
        for unit in some:
            # It may have left since these were looked up.
            if unit.arm.key not in left():
                yield unit


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
            deadline = loop.time() + LISTEN_S
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
                    if not batch:
                        deadline = loop.time() + FLUSH_S
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
