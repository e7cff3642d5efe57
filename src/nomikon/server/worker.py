"""The worker process: takes up trials and runs them through the engine."""

from __future__ import annotations

import asyncio
import contextlib
import fcntl
import logging
import os
import signal
from datetime import datetime, timedelta
from pathlib import Path

from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import close_old_connections, transaction
from django.utils import timezone

from nomikon.core.errors import DomainError
from nomikon.engine.coordinator import run_trial
from nomikon.engine.executors import LocalExecutor
from nomikon.models import ModelClient
from nomikon.server.ledger.write import emit
from nomikon.server.trials.models import FAILED, OPEN_STATES, Trial, Worker
from nomikon.server.trials.store import DatabaseStore

log = logging.getLogger("nomikon.worker")

IDLE_S = 0.3
HEARTBEAT_S = 2.0
# A worker that has not been seen for this long counts as stopped.
MISSED_AFTER = timedelta(seconds=8)


class SecondWorkerError(RuntimeError):
    """Two workers on one database would ask every question twice."""


@contextlib.contextmanager
def sole_worker(data_dir: Path):
    """Hold the lock that says: this is the worker of this data directory.

    The lock dies with the process, so a killed worker never blocks the next.
    """
    data_dir.mkdir(parents=True, exist_ok=True)
    with open(data_dir / "worker.lock", "w", encoding="ascii") as file:
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


def mark_failed(trial_id: int, message: str) -> None:
    """Record that a trial cannot go on, with the reason."""
    with transaction.atomic():
        now = timezone.now()
        Trial.objects.filter(pk=trial_id).update(state=FAILED, message=message, finished_at=now)
        emit(f"trial:{trial_id}", FAILED, {"message": message}, now=now)


async def work(*, until_idle: bool = False) -> None:
    """Run trials as they come, several at once; with until_idle return when none is left."""
    started_at = timezone.now()
    stopping = asyncio.Event()
    loop = asyncio.get_running_loop()
    if not until_idle:
        for sign in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(sign, stopping.set)
    running: dict[int, asyncio.Task[None]] = {}
    last_beat = 0.0
    async with ModelClient(keys=os.environ) as client:
        executor = LocalExecutor(client)
        while not stopping.is_set():
            if loop.time() - last_beat >= HEARTBEAT_S:
                await sync_to_async(beat)(started_at)
                last_beat = loop.time()
            trial_id = await sync_to_async(next_trial)(set(running))
            if trial_id is not None:
                running[trial_id] = asyncio.create_task(_run_one(trial_id, executor))
                continue
            for done in [t for t, task in running.items() if task.done()]:
                await running.pop(done)
            if until_idle and not running:
                return
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(stopping.wait(), IDLE_S)
        # What is under way is dropped, not waited for: the next worker asks again.
        for task in running.values():
            task.cancel()
        await asyncio.gather(*running.values(), return_exceptions=True)


async def _run_one(trial_id: int, executor: LocalExecutor) -> None:
    try:
        await run_trial(DatabaseStore(trial_id, clock=timezone.now), executor)
    except DomainError as error:
        await sync_to_async(mark_failed)(trial_id, error.message)
    except Exception as error:
        # One broken trial must not stop the others; it is recorded and shown.
        log.exception("trial %s stopped", trial_id)
        await sync_to_async(mark_failed)(trial_id, f"{type(error).__name__}: {error}"[:500])
    finally:
        await sync_to_async(close_old_connections)()


def main() -> None:
    """Run the worker until it is told to stop."""
    try:
        with sole_worker(Path(settings.DATA_DIR)):
            asyncio.run(work())
    except SecondWorkerError as error:
        raise SystemExit(str(error)) from error
