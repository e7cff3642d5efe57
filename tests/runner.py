"""Django's runner in parallel over SQLite in WAL mode, the longest classes first, slowest told."""

from __future__ import annotations

import contextlib
import time
import traceback
import unittest
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connections
from django.test.runner import DiscoverRunner, ParallelTestSuite, RemoteTestResult, RemoteTestRunner

from tests import second_writer

SLOWEST = 10
# Whole classes go to one process: those that start processes of their own begin first, so that
# no core waits at the end for one that began late.
FIRST = ("tests.browser", "tests.server.test_processes", "tests.server.test_machine_room",
         "tests.test_run", "tests.server.test_stored", "tests.server.test_rounds")  # fmt: skip


class _Timed:
    """Tells how long each test took (unittest does so by itself only from Python 3.12 on)."""

    def startTest(self, test: Any) -> None:
        self._began = time.monotonic()
        super().startTest(test)  # type: ignore[misc]

    def stopTest(self, test: Any) -> None:
        self.took(test, time.monotonic() - self._began)
        super().stopTest(test)  # type: ignore[misc]


class RemoteResult(_Timed, RemoteTestResult):
    """In a process of its own: what it tells goes to the parent as events."""

    def took(self, test: Any, seconds: float) -> None:
        self.events.append(("took", self.test_index, seconds))

    # What failed goes to the parent as its text: an error of the browser's driver holds a lock,
    # which no other process can be sent.
    def addError(self, test: Any, err: Any) -> None:
        super().addError(test, _as_text(err))

    def addFailure(self, test: Any, err: Any) -> None:
        super().addFailure(test, _as_text(err))

    def addSubTest(self, test: Any, subtest: Any, err: Any) -> None:
        # A sub-test holds its test, and with it what no process can be sent: it is told as a
        # failure of the test, with its own name before the text.
        if err is not None:
            told = AssertionError(f"{subtest}\n{''.join(traceback.format_exception(*err))}")
            super().addFailure(test, (AssertionError, told, None))


class RemoteRunner(RemoteTestRunner):
    resultclass = RemoteResult


def _as_text(err: Any) -> Any:
    told = "".join(traceback.format_exception(*err))
    return AssertionError, AssertionError(told), None


class Suite(ParallelTestSuite):
    runner_class = RemoteRunner


class Result(unittest.TextTestResult):
    """In the parent: collects the times of all processes."""

    times: dict[str, float]

    def __init__(self, *given: Any, **named: Any) -> None:
        super().__init__(*given, **named)
        self.times = {}

    def took(self, test: Any, seconds: float) -> None:
        self.times[str(test)] = seconds


class AloneResult(_Timed, Result):
    """The same where tests run in this process."""


class Runner(DiscoverRunner):
    parallel_test_suite = Suite

    def get_resultclass(self) -> type[unittest.TextTestResult]:
        return Result if self.parallel > 1 else AloneResult

    def build_suite(self, *given: Any, **named: Any) -> Any:
        suite = super().build_suite(*given, **named)
        if isinstance(suite, Suite):
            suite.subsuites.sort(key=_place)
        return suite

    def setup_test_environment(self, **named: Any) -> None:
        super().setup_test_environment(**named)
        settings.CHECK_ANSWERS = True
        second_writer.begin()

    def setup_databases(self, **named: Any) -> Any:
        with _whole_files():
            return super().setup_databases(**named)

    def run_suite(self, suite: Any, **named: Any) -> Any:
        result = super().run_suite(suite, **named)
        slowest = sorted(result.times.items(), key=lambda t: -t[1])[:SLOWEST]
        for name, seconds in slowest:
            self.stream_line(f"{seconds:6.1f} s  {name}")
        return result

    def stream_line(self, text: str) -> None:
        print(text, flush=True)


def _clear_beside(database: str) -> None:
    """Side files that a killed run left would be read into the new database."""
    for end in ("-wal", "-shm"):
        Path(str(database) + end).unlink(missing_ok=True)


def _place(subsuite: Any) -> int:
    module = next(iter(subsuite)).__class__.__module__
    return next((i for i, begin in enumerate(FIRST) if module.startswith(begin)), len(FIRST))


@contextlib.contextmanager
def _whole_files() -> Any:
    """Before a database file is copied for another process, all of it goes into that file.

    In WAL mode the newest pages stand in a file beside it, which Django does not copy.
    """
    creations = [connections[alias].creation for alias in connections]
    for creation in creations:
        _clear_beside(creation.connection.settings_dict["TEST"]["NAME"])
    plain = [c.clone_test_db for c in creations]

    def cloned(creation: Any, clone: Any) -> Any:
        def clone_whole(suffix: str, *given: Any, **named: Any) -> None:
            _clear_beside(creation.get_test_db_clone_settings(suffix)["NAME"])
            with creation.connection.cursor() as cursor:
                cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            creation.connection.close()
            clone(suffix, *given, **named)

        return clone_whole

    for creation, clone in zip(creations, plain, strict=True):
        creation.clone_test_db = cloned(creation, clone)
    try:
        yield
    finally:
        for creation in creations:
            del creation.clone_test_db
