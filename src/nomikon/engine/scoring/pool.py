"""Processes that score, kept while there is work; one that runs into a wall is ended, its job goes on without that score."""

from __future__ import annotations

import asyncio
import atexit
import os
import queue
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import Future
from contextlib import suppress
from itertools import islice
from typing import Any

from nomikon.core.measures import Scores
from nomikon.core.measures.mishaps import OutOfTimeError, mishap, unscored
from nomikon.engine.scoring.jobs import AT, Job, is_light, none_of, worked_out
from nomikon.engine.wire import ready, receive, send

# What one score may take: by the processor, and by the clock.
CPU_S = 2.0
WALL_S = 10.0
START_S = 60.0
LOOK_S = 0.1
BATCH = 64
# A measure that ran out of time so often in a row on a card is asked no more of it.
GIVEN_UP_AFTER = 10
PROCESSES = max(1, min(4, (os.cpu_count() or 2) - 1))


async def score_one(job: Job) -> Scores:
    """One output's scores; the loop goes on meanwhile."""
    if is_light(job):
        return worked_out(job)[0]
    return (await asyncio.wrap_future(_pool().submit(job)))[0]


def score_many(jobs: Iterable[Job]) -> Iterator[list[Scores]]:
    """Scores of many, in order; waits for them."""
    coming = iter(jobs)
    while some := list(islice(coming, BATCH * PROCESSES)):
        asked = [None if is_light(job) else _pool().submit(job) for job in some]
        for job, future in zip(some, asked, strict=True):
            yield worked_out(job) if future is None else future.result()


class _Pool:
    """Jobs from any thread; as many processes as are needed, at most PROCESSES."""

    def __init__(self) -> None:
        self._jobs: queue.SimpleQueue[tuple[Job, Future[list[Scores]]]] = queue.SimpleQueue()
        self._lock = threading.Lock()
        self._workers: list[_Worker] = []
        # How often in a row a measure of a card ran out of time.
        self.slow: Counter[tuple[str, str]] = Counter()

    def submit(self, job: Job) -> Future[list[Scores]]:
        future: Future[list[Scores]] = Future()
        self._jobs.put((job, future))
        with self._lock:
            if len(self._workers) < PROCESSES and self._jobs.qsize() > len(self._workers):
                worker = _Worker(self)
                self._workers.append(worker)
                threading.Thread(target=worker.run, daemon=True, name="scoring").start()
        return future

    def some(self) -> list[tuple[Job, Future[list[Scores]]]]:
        """The next jobs, as many as are there, a fair share of them."""
        found = [self._jobs.get()]
        share = min(BATCH, self._jobs.qsize() // PROCESSES)
        with suppress(queue.Empty):
            found += [self._jobs.get_nowait() for _ in range(share)]
        return found

    def close(self) -> None:
        for worker in self._workers:
            worker.end()


class _Worker:
    """One thread with one process."""

    def __init__(self, pool: _Pool) -> None:
        self._pool = pool
        self._process: subprocess.Popen[bytes] | None = None

    def run(self) -> None:
        while True:
            some = self._pool.some()
            waiting = [(self._without_the_slow(job), f) for job, f in some if not f.cancelled()]
            while waiting:
                try:
                    waiting = self._go_through(waiting)
                except Exception as error:  # noqa: BLE001
                    # Whatever it was, nobody may wait for ever, and the next batch gets its turn.
                    self.end()
                    # What was answered before it stays answered; the first without an answer pays.
                    waiting = [pair for pair in waiting if not pair[1].done()]
                    for job, future in waiting[:1]:
                        _answer(future, none_of(job, mishap(error)))
                    waiting = waiting[1:]

    def end(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.wait()
            for stream in (process.stdin, process.stdout):
                with suppress(OSError):
                    if stream:
                        stream.close()

    def _without_the_slow(self, job: Job) -> Job:
        for (document, name), times in list(self._pool.slow.items()):
            if document == job.document and times >= GIVEN_UP_AFTER:
                told = f"it ran out of time {times} times in a row and is not tried any more"
                job = job.with_known(name, unscored(told))
        return job

    def _go_through(
        self, waiting: Sequence[tuple[Job, Future[list[Scores]]]]
    ) -> list[tuple[Job, Future[list[Scores]]]]:
        """Hand the batch over and take what comes; what is left when the process had to be ended."""
        process = self._started()
        assert process.stdin and process.stdout
        batch = [job for job, _ in waiting]
        # Written by a thread of its own: a large batch and its large answers could wait for each other.
        writing = threading.Thread(target=_send, args=(process.stdin, batch), daemon=True)
        writing.start()
        for place, (job, future) in enumerate(waiting):
            at: str | None = None
            while True:
                message = self._next(process)
                if message is None:
                    self.end()
                    return self._left(waiting[place:], at)
                kind, told = message
                if kind == AT:
                    at = told
                    continue
                for name in job.known[0].keys() ^ told[0].by_name.keys():
                    self._note(job, name, told[0].by_name[name].why)
                _answer(future, told)
                break
        return []

    def _note(self, job: Job, name: str, why: str) -> None:
        key = (job.document, name)
        if why == mishap(OutOfTimeError()).why:
            self._pool.slow[key] += 1
        elif key in self._pool.slow:
            del self._pool.slow[key]

    def _left(
        self, waiting: Sequence[tuple[Job, Future[list[Scores]]]], at: str | None
    ) -> list[tuple[Job, Future[list[Scores]]]]:
        (job, future), rest = waiting[0], list(waiting[1:])
        score = mishap(OutOfTimeError())
        if at is None:
            _answer(future, none_of(job, score))
            return rest
        self._pool.slow[job.document, at] += 1
        return [(job.with_known(at, score), future), *rest]

    def _next(self, process: subprocess.Popen[bytes]) -> Any:
        """The next message; None when the process ended, or took too long over one score."""
        assert process.stdout
        until = time.monotonic() + WALL_S
        spent = _cpu_s(process.pid)
        while not ready(process.stdout, LOOK_S):
            if process.poll() is not None or time.monotonic() > until:
                return None
            now = _cpu_s(process.pid)
            if spent is not None and now is not None and now - spent > CPU_S + 1:
                return None
        return receive(process.stdout)

    def _started(self) -> subprocess.Popen[bytes]:
        if self._process is None or self._process.poll() is not None:
            self.end()
            self._process = subprocess.Popen(
                [sys.executable, "-m", "nomikon.engine.scoring.child", str(CPU_S)],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                bufsize=0,
            )
            assert self._process.stdout
            if not ready(self._process.stdout, START_S) or receive(self._process.stdout) is None:
                raise OSError("the process that scores did not start")
        return self._process


def _send(out: Any, batch: list[Job]) -> None:
    with suppress(OSError, ValueError):
        send(_Whole(out), batch)


class _Whole:
    """An unbuffered pipe takes part of what is written: this goes on until all is."""

    def __init__(self, raw: Any) -> None:
        self._raw = raw

    def write(self, data: bytes) -> int:
        view = memoryview(data)
        while view:
            view = view[self._raw.write(view) or 0 :]
        return len(data)

    def flush(self) -> None:
        """Nothing is held back."""


def _answer(future: Future[list[Scores]], scores: list[Scores]) -> None:
    # Nobody may wait for it any more: a trial was stopped.
    if future.set_running_or_notify_cancel():
        future.set_result(scores)


def _cpu_s(pid: int) -> float | None:
    """Processor time of a process so far; None where the system does not tell."""
    try:
        with open(f"/proc/{pid}/stat", "rb") as file:
            fields = file.read().rpartition(b")")[2].split()
    except OSError:
        return None
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


_made: _Pool | None = None
_making = threading.Lock()


def _pool() -> _Pool:
    global _made
    with _making:
        if _made is None:
            _made = _Pool()
            atexit.register(_made.close)
        return _made
