"""Files read by another process, which is ended when it takes too long or nobody wants more."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from types import TracebackType
from typing import IO, Any

from nomikon.core.cases import OpenTable, Record, Refused
from nomikon.core.errors import TableError
from nomikon.core.files.lineage_zip import LineageEntry
from nomikon.engine.reading.messages import ENDED, OPENED, REFUSED, ROWS, VERSIONS
from nomikon.engine.wire import ready, receive

# Without a word for so long by the clock, or so much processor time in all, it is ended.
SILENT_S = 60.0
CPU_S = 600
VERSIONS_CPU_S = 60
LOOK_S = 0.1


class _Reading:
    """A process that reads one file. `close` may come from any thread."""

    def __init__(self, told: dict[str, Any], silent_s: float, cpu_s: int) -> None:
        self._silent_s = silent_s
        what = json.dumps({**told, "cpu_s": cpu_s})
        self._command = [sys.executable, "-m", "nomikon.engine.reading.child", what]
        self._process: subprocess.Popen[bytes] | None = None
        self._closed = False

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.end()

    def __del__(self) -> None:
        # Whoever asked left before the first row was told.
        self.end()

    def _first(self) -> Any:
        """Start it: what it tells first; `end` must follow where that came. Raises DomainError."""
        self._process = subprocess.Popen(
            self._command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, bufsize=0
        )
        try:
            return self._next()[1]
        except BaseException:
            self.end()
            raise

    def end(self) -> None:
        """Close it and clear away; by the thread that reads."""
        self.close()
        process, self._process = self._process, None
        if process is not None:
            process.wait()
            if process.stdout:
                process.stdout.close()

    def close(self) -> None:
        """End the process; whoever waits for its next row is told at once."""
        self._closed = True
        process = self._process
        if process is not None:
            with suppress(ProcessLookupError):
                process.kill()

    def _next(self) -> Any:
        """The next message. Raises DomainError in the words of what stopped the reading."""
        process = self._process
        if process is None or process.stdout is None:
            raise TableError("the file is not open any more", field="file")
        until = time.monotonic() + self._silent_s
        while not ready(process.stdout, LOOK_S):
            if time.monotonic() > until:
                process.kill()
                raise TableError(
                    f"reading the file stood still for {self._silent_s:.0f} s and was ended",
                    field="file",
                )
        message = receive(process.stdout)
        if message is None:
            raise TableError(self._end_of(process), field="file")
        kind, told = message
        if kind == REFUSED:
            error, words, where, facts = told
            raise error(words, field=where, **facts)
        assert kind in (OPENED, ROWS, VERSIONS, ENDED)
        return message

    def _end_of(self, process: subprocess.Popen[bytes]) -> str:
        if self._closed:
            return "reading the file was stopped"
        status = process.wait()
        if status in (-signal.SIGXCPU, -signal.SIGKILL):
            return "reading the file took longer than a file may and was ended"
        return "this is no file that can be read: reading it broke off"


class TableReader(_Reading):
    """Opens a table file and reads it once, in a process of its own.

    sort: "csv", "jsonl", "xlsx" or "log". Raises TableError on entering and while its
    records are read.
    """

    def __init__(
        self,
        path: Path,
        sort: str,
        *,
        encoding: str | None = None,
        delimiter: str | None = None,
        silent_s: float = SILENT_S,
        cpu_s: int = CPU_S,
        held: IO[bytes] | None = None,
    ) -> None:
        """delimiter: between cells; of a workbook the sheet. held: a file that is gone once it is closed; it is held for as long as this is."""
        self._held = held
        told = {"path": str(path), "sort": sort, "encoding": encoding, "delimiter": delimiter}
        super().__init__(told, silent_s, cpu_s)

    def __enter__(self) -> OpenTable:
        return self.open()

    def open(self) -> OpenTable:
        """The table, as soon as its columns are known; `end` must follow. Raises TableError."""
        columns, encoding, delimiter, notes, sheets = self._first()
        return OpenTable(columns, self._records, encoding, delimiter, notes, sheets)

    def _records(self) -> Iterator[Record | Refused]:
        while True:
            kind, rows = self._next()
            if kind == ENDED:
                return
            yield from rows


class VersionsReader(_Reading):
    """Reads a prompt file, or a zip of them, in a process of its own."""

    def __init__(
        self, path: Path, *, silent_s: float = SILENT_S, cpu_s: int = VERSIONS_CPU_S
    ) -> None:
        super().__init__({"path": str(path), "sort": VERSIONS}, silent_s, cpu_s)

    def read(self) -> list[LineageEntry]:
        """The versions in it, parents first. Raises PromptFileError, LineageFileError, TableError."""
        try:
            entries: list[LineageEntry] = self._first()
        finally:
            self.end()
        return entries
