"""Real processes for tests: stand-in, worker and web, on free ports and a database of their own."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def wait_until(check: Any, within_s: float = 30.0, what: str = "it") -> Any:
    """Wait until something is so; fail with its name when it never is."""
    deadline = time.monotonic() + within_s
    while time.monotonic() < deadline:
        found = check()
        if found:
            return found
        time.sleep(0.05)
    raise AssertionError(f"waited {within_s:g} s for {what}")


class Processes:
    """Starts processes with one environment and ends them all."""

    def __init__(self, env: dict[str, str]) -> None:
        self.env = {**os.environ, **env}
        self._running: list[subprocess.Popen[bytes]] = []

    def start(self, *command: str, quiet: bool = True) -> subprocess.Popen[bytes]:
        sink = subprocess.DEVNULL if quiet else None
        process = subprocess.Popen(
            [sys.executable, "-m", *command], env=self.env, cwd=ROOT, stdout=sink, stderr=sink
        )
        self._running.append(process)
        return process

    def running(self, word: str) -> subprocess.Popen[bytes]:
        """The running process whose command holds a word."""
        return next(p for p in reversed(self._running) if p.poll() is None and word in str(p.args))

    def standin(self, *options: str) -> str:
        """Start the stand-in; returns its base URL."""
        port = self._listen(
            lambda port: self.start("nomikon", "standin", "--port", str(port), *options),
            "the stand-in",
        )
        return f"http://127.0.0.1:{port}/v1"

    def _listen(self, begin: Callable[[int], subprocess.Popen[bytes]], what: str) -> int:
        """Start something that listens; returns its port.

        A free port may be somebody's by the time it is listened on: another one is tried then.
        """
        for _ in range(5):
            port = free_port()
            if self._came_up(begin(port), port, what):
                return port
        raise AssertionError(f"{what} ended at once, five times")

    @staticmethod
    def _came_up(process: subprocess.Popen[bytes], port: int, what: str) -> bool:
        wait_until(lambda: listening(port) or process.poll() is not None, 90.0, what)
        return process.poll() is None

    def web(self, at: int | None = None) -> str:
        """Start the web process, at a port where it was before; returns its address."""

        def begin(port: int) -> subprocess.Popen[bytes]:
            return self.start(
                "uvicorn",
                "nomikon.server.process.asgi:application",
                "--port",
                str(port),
                "--lifespan",
                "off",
                "--log-level",
                "warning",
                "--timeout-graceful-shutdown",
                "1",
                quiet=False,
            )

        if at is not None:
            assert self._came_up(begin(at), at, "the web process")
        port = at or self._listen(begin, "the web process")
        return f"http://127.0.0.1:{port}"

    def kill(self, process: subprocess.Popen[bytes]) -> None:
        process.send_signal(signal.SIGKILL)
        process.wait()

    def stop(self) -> None:
        for process in self._running:
            if process.poll() is None:
                process.terminate()
        for process in self._running:
            try:
                process.wait(8)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()


def listening(port: int) -> bool:
    try:
        with socket.create_connection(("127.0.0.1", port), 0.3):
            return True
    except OSError:
        return False


def parents() -> dict[int, int]:
    """The parent of every process that runs."""
    found = {}
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                fields = (entry / "stat").read_text().rpartition(")")[2].split()
            except OSError:
                continue
            if fields[0] != "Z":
                found[int(entry.name)] = int(fields[1])
    return found


def descendants(pid: int) -> list[int]:
    """Its children, theirs, and so on."""
    known = parents()
    found, some = [], [pid]
    while some:
        some = [child for child, parent in known.items() if parent in some]
        found += some
    return found


def name_of(pid: int) -> str:
    """What a process of ours is: web, worker, call process, scoring."""
    try:
        words = Path(f"/proc/{pid}/cmdline").read_bytes().decode().split("\0")
    except OSError:
        return "gone"
    told = " ".join(words)
    names = {"uvicorn": "web", "call_process": "call process", "scoring.child": "scoring",
             "worker": "worker"}  # fmt: skip
    return next((name for word, name in names.items() if word in told), "other")
