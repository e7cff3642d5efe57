"""The worker process: takes up trials and runs them through the engine."""

from __future__ import annotations

import asyncio
import contextlib
import fcntl
import logging
import os
import signal
import sys
import time
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

import uvloop
from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import OperationalError, close_old_connections
from django.utils import timezone

from nomikon.core.errors import DomainError
from nomikon.core.rules import figures_rule
from nomikon.engine.cluster import ClusterExecutor
from nomikon.engine.coordinator import run_trial
from nomikon.engine.executors import LocalExecutor
from nomikon.models import Traffic
from nomikon.models.call_process import CallProcess
from nomikon.models.client import ModelClient
from nomikon.models.traffic import Tally
from nomikon.server.apps.connections.keys import Keyring
from nomikon.server.apps.connections.recording import (
    forget_standings,
    record_health,
    record_standing,
)
from nomikon.server.apps.rounds.asking import drive
from nomikon.server.apps.rounds.driving import end_rounds, open_rounds
from nomikon.server.apps.rounds.models import ROUNDS_FAILED
from nomikon.server.apps.trials.actions.fail_trial import FailTrial
from nomikon.server.apps.trials.models import OPEN_STATES, Trial, Worker
from nomikon.server.apps.trials.reworking import bring_figures_up
from nomikon.server.apps.trials.store import WORKER, DatabaseStore, may_pass
from nomikon.server.apps.verdicts.actions.start_watch import ask_due_watches
from nomikon.server.process.worker_link import Link
from nomikon.server.stored.backup import keep_daily
from nomikon.server.stored.opening import WORKER_LOCK
from nomikon.server.stored.place import Marker

log = logging.getLogger("nomikon.worker")

IDLE_S = 0.3
HEARTBEAT_S = 2.0
# When the first daily copy is thought of, and how often then.
FIRST_COPY_S, COPY_LOOK_S = 600.0, 1800.0


class SecondWorkerError(RuntimeError):
    """Two workers on one database would ask every question twice."""


@contextlib.contextmanager
def sole_worker(data_dir: Path) -> Iterator[None]:
    """Hold the lock that says: this is the worker of this data directory.

    The lock dies with the process, so a killed worker never blocks the next.
    """
    data_dir.mkdir(parents=True, exist_ok=True)
    with open(data_dir / WORKER_LOCK, "w", encoding="ascii") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise SecondWorkerError("another worker already runs on this data directory") from error
        yield


def next_trial(running: set[int]) -> int | None:
    """The oldest trial that is queued, or was running when its worker died."""
    return (
        Trial.objects.filter(state__in=OPEN_STATES)
        .exclude(pk__in=running)
        .order_by("id")
        .values_list("id", flat=True)
        .first()
    )


def beat(started_at: datetime) -> None:
    """Leave a sign of life for the page."""
    now = timezone.now()
    Worker.objects.update_or_create(
        pk=1, defaults={"started_at": started_at, "seen_at": now, "pid": os.getpid()}
    )


def fail(trial_id: int, message: str) -> None:
    """Record that a trial cannot go on, with the reason."""
    FailTrial(trial_id, message, WORKER, timezone.now()).execute()


# How often watches are looked through for one whose time has come.
WATCH_LOOK_S = 30.0


class Workroom:
    """The running trials, their one client, and what is written down about its connections."""

    def __init__(self) -> None:
        self.keyring = Keyring(os.environ)
        self._changed: set[str] = set()
        self.traffic = Traffic(clock=time.monotonic, on_change=self._changed.add)
        self.client = ModelClient(
            keys=self.keyring, traffic=self.traffic, transport=transport_for(self.keyring)
        )
        self.executor = executor_for(self.client)
        self.link = Link(self.client, self.keyring)
        self.running: dict[int, asyncio.Task[None]] = {}
        self.rounds: dict[int, asyncio.Task[None]] = {}
        self._started_at = timezone.now()
        self._beaten = 0.0
        self._looked = float("-inf")
        self._tallies: list[dict[str, Tally]] = []
        # Not at once: a start has other things to do.
        self._copy_at = time.monotonic() + FIRST_COPY_S
        self._marker = Marker(
            Path(settings.DATA_DIR), Path(str(settings.DATABASES["default"]["NAME"]))
        )

    async def turn(self) -> bool:
        """Look once for what is to be done; True when a trial was taken up.

        A database that takes nothing just now is no reason to end: what runs
        waits for it, and the next turn tries again.
        """
        try:
            await self._note()
            for rounds_id in await sync_to_async(open_rounds)(set(self.rounds)):
                self.rounds[rounds_id] = asyncio.create_task(self._drive(rounds_id))
            if time.monotonic() - self._looked >= WATCH_LOOK_S:
                await sync_to_async(ask_due_watches)(timezone.now())
                self._looked = time.monotonic()
            trial_id = await sync_to_async(next_trial)(set(self.running))
        except OperationalError as error:
            if not may_pass(error):
                raise
            self.link.troubles["worker"] = str(error)
            log.warning("the database takes nothing just now: %s", error)
            return False
        self.link.troubles.pop("worker", None)
        if trial_id is None:
            return False
        self.running[trial_id] = asyncio.create_task(self._run_one(trial_id))
        return True

    async def clear(self) -> None:
        """Let go of the trials and rounds that have ended."""
        for tasks in (self.running, self.rounds):
            for ended in [key for key, task in tasks.items() if task.done()]:
                await tasks.pop(ended)

    def _daily(self) -> None:
        """A copy of the database for each day, the newest few kept."""
        if time.monotonic() < self._copy_at:
            return
        self._copy_at = time.monotonic() + COPY_LOOK_S
        database = Path(str(settings.DATABASES["default"]["NAME"]))
        try:
            keep_daily(Path(settings.DATA_DIR), database, timezone.now(), settings.COPIES)
        except (DomainError, OSError) as error:
            log.warning("today's copy was not made: %s", error)

    async def _note(self) -> None:
        while self._changed:
            # Taken out first: what changes while it is written is written again.
            state = self.traffic.state_of(self._changed.pop())
            try:
                await sync_to_async(record_standing)(state, now=timezone.now())
            except OperationalError:
                self._changed.add(state.connection)
                raise
        if time.monotonic() - self._beaten >= HEARTBEAT_S:
            self.traffic.recover()
            await sync_to_async(beat)(self._started_at)
            await sync_to_async(self._marker.note)(time.monotonic())
            await sync_to_async(self._daily)()
            self._tallies += [t] if (t := self.traffic.tallies()) else []
            while self._tallies:
                await sync_to_async(record_health)(self._tallies[0], now=timezone.now())
                # Only once it is written; a refusal leaves it for the next turn.
                del self._tallies[0]
            self._beaten = time.monotonic()

    async def _drive(self, rounds_id: int) -> None:
        try:
            await sync_to_async(self.keyring.refresh)()
            await drive(rounds_id, self.client, clock=timezone.now)
        except Exception as error:
            # As with a trial: what is broken is recorded, and the others go on.
            log.exception("rounds %s stopped", rounds_id)
            told = f"{type(error).__name__}: {error}"[:500]
            await sync_to_async(end_rounds)(rounds_id, ROUNDS_FAILED, told, timezone.now())
        finally:
            await sync_to_async(close_old_connections)()

    async def _run_one(self, trial_id: int) -> None:
        def on_trouble(reason: str | None) -> None:
            if reason is None:
                self.link.troubles.pop(f"trial:{trial_id}", None)
            else:
                self.link.troubles[f"trial:{trial_id}"] = reason

        try:
            await sync_to_async(self.keyring.refresh)()
            store = DatabaseStore(trial_id, clock=timezone.now)
            await run_trial(store, self.executor, on_trouble=on_trouble)
        except DomainError as error:
            await sync_to_async(fail)(trial_id, error.message)
        except Exception as error:
            # One broken trial must not stop the others; it is recorded and shown.
            log.exception("trial %s stopped", trial_id)
            await sync_to_async(fail)(trial_id, f"{type(error).__name__}: {error}"[:500])
        finally:
            self.link.troubles.pop(f"trial:{trial_id}", None)
            await sync_to_async(close_old_connections)()


async def rework_old() -> None:
    """Bring trials that were stored by former rules to today's, one after the other.

    So that nobody waits for it who opens one; a trial that is opened first is done then.
    """
    async for trial in (
        Trial.objects.exclude(figures_rule=figures_rule())
        .select_related("brief", "scorecard")
        .order_by("-id")
    ):
        try:
            await sync_to_async(bring_figures_up)(trial, timezone.now())
        except OperationalError as error:
            # Whoever opens the trial works it out; the next start tries again.
            log.warning("trial %s was not worked out anew: %s", trial.pk, error)


# The thread that stores must not keep the event loop waiting for its turn: at
# Python's own 5 ms a trial bound by latency took a tenth longer.
TURN_S = 0.001


async def work(*, until_idle: bool = False) -> None:
    """Run trials as they come, several at once; with until_idle return when none is left."""
    sys.setswitchinterval(TURN_S)
    stopping = asyncio.Event()
    loop = asyncio.get_running_loop()
    if not until_idle:
        for sign in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(sign, stopping.set)
    room = Workroom()
    await sync_to_async(forget_standings)()
    async with room.client, room.executor, room.link.open():
        reworking = None if until_idle else asyncio.create_task(rework_old())
        while not stopping.is_set():
            if await room.turn():
                continue
            await room.clear()
            if until_idle and not room.running and not room.rounds:
                return
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(stopping.wait(), IDLE_S)
        # What is under way is dropped, not waited for: the next worker asks again.
        tasks = [*room.running.values(), *room.rounds.values()]
        tasks += [reworking] if reworking else []
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)


def transport_for(keys: Keyring) -> CallProcess | None:
    """Where attempts are made: in a process of their own where there is a processor for it."""
    apart = os.environ.get("NOMIKON_CALL_PROCESS", "1" if (os.cpu_count() or 1) > 1 else "0")
    return CallProcess(keys=keys) if apart == "1" else None


def executor_for(client: ModelClient) -> LocalExecutor | ClusterExecutor:
    """Where trials run: in this process, or on the cluster that NOMIKON_CLUSTER names."""
    address = os.environ.get("NOMIKON_CLUSTER", "")
    return ClusterExecutor(address) if address else LocalExecutor(client)


def main() -> None:
    """Run the worker until it is told to stop."""
    try:
        with sole_worker(Path(settings.DATA_DIR)):
            uvloop.run(work())
    except SecondWorkerError as error:
        raise SystemExit(str(error)) from error
