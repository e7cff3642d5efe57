"""Starting and stopping the processes: web, worker, what a demo needs beside them."""

from __future__ import annotations

import contextlib
import fcntl
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from types import FrameType

from nomikon.companions import model_server
from nomikon.core.errors import DomainError
from nomikon.lifeline import VARIABLE, hold_to_parent
from nomikon.server.process.hosts import OPEN, is_loopback, names_of
from nomikon.server.simulated import PORT, WANTED, is_wanted, port_kept

SERVING = "serving"
MODEL_SERVER_PORT = 8100
# A process that dies is started again, but not in a busy circle.
RESTART_PAUSE_S = 1.0
STOP_WITHIN_S = 8.0
WEB_PATIENCE_S = "3"


_ends: list[int] = []


def _lifeline() -> int:
    """The end of a pipe that children hold; the other end is this process's for as long as it lives."""
    if not _ends:
        _ends.extend(os.pipe())
    return _ends[0]


class ServedError(DomainError):
    """A data directory is served by another process."""

    code = "served"


class Child:
    """One process that is kept running until it is told to stop."""

    def __init__(
        self, name: str, command: list[str], env: dict[str, str], *, yielding: bool = False
    ) -> None:
        self.name = name
        self._yielding = yielding
        self._command = command
        self._env = env
        self.process = self._start()

    def _start(self) -> subprocess.Popen[bytes]:
        # Whoever started it may be killed without a word: the pipe's other end closes with it.
        process = subprocess.Popen(
            self._command,
            env={**self._env, VARIABLE: str(_lifeline())},
            pass_fds=[_lifeline()],
        )
        if self._yielding:
            # The page answers first; a trial's work takes what is left.
            os.setpriority(os.PRIO_PROCESS, process.pid, 5)
        return process

    def look_after(self) -> None:
        """Start the process again if it has died."""
        status = self.process.poll()
        if status is not None:
            print(f"{self.name} ended with status {status}; starting it again", file=sys.stderr)
            time.sleep(RESTART_PAUSE_S)
            self.process = self._start()

    def stop(self) -> None:
        """Ask it to stop, and insist after a while."""
        if self.process.poll() is None:
            self.process.terminate()

    def wait_until_stopped(self, deadline: float) -> None:
        try:
            self.process.wait(max(0.1, deadline - time.monotonic()))
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()


def environment(
    data_dir: Path,
    host: str = "127.0.0.1",
    key_env: Sequence[str] = (),
    files: Path | None = None,
) -> dict[str, str]:
    """The variables that every process of this installation shares."""
    env = dict(os.environ)
    env["NOMIKON_DATA_DIR"] = str(data_dir.resolve())
    env["DJANGO_SETTINGS_MODULE"] = "nomikon.server.settings"
    if not is_loopback(host):
        # Asked to listen elsewhere: the name it is asked to listen on is a name it answers to.
        hosts = [h for h in env.get("NOMIKON_HOSTS", "").split(",") if h]
        env["NOMIKON_HOSTS"] = ",".join([*hosts, *names_of(host)])
        env[OPEN] = "1"
    if files is not None:
        env["NOMIKON_FILES"] = str(files.resolve())
    if key_env:
        env[ALLOWED_KEYS] = ",".join(key_env)
    return env


ALLOWED_KEYS = "NOMIKON_KEY_ENV"


def _refuse_open(host: str) -> int:
    print(
        f"{host} can be reached by other machines, and whoever reaches the page can read everything "
        "and spend on every key: start with --open-to-anyone if that is meant",
        file=sys.stderr,
    )
    return 2


def set_up_django(data_dir: Path) -> None:
    """Use this data directory in this process, with its database found fit or brought up to date.

    Raises StoredStateError (after telling nothing else) where it cannot be used.
    """
    os.environ.update(environment(data_dir))
    import django

    django.setup()
    from nomikon.server.stored.opening import open_data

    for line in open_data(data_dir):
        print(line, file=sys.stderr, flush=True)


def port_free(host: str, port: int) -> bool:
    """Whether a port can be listened on."""
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError:
            return False
    return True


def wait_for_port(host: str, port: int, within_s: float = 30.0) -> bool:
    """Wait until somebody listens."""
    deadline = time.monotonic() + within_s
    while time.monotonic() < deadline:
        with contextlib.suppress(OSError), socket.create_connection((host, port), 0.5):
            return True
        time.sleep(0.05)
    return False


def _web(host: str, port: int, env: dict[str, str]) -> Child:
    # A person at a page waits for another write no longer than this; then it is said.
    env = {"NOMIKON_DB_PATIENCE_S": WEB_PATIENCE_S, **env}
    return Child(
        "web",
        [
            sys.executable,
            "-m",
            "uvicorn",
            "nomikon.server.process.asgi:application",
            "--host",
            host,
            "--port",
            str(port),
            "--lifespan",
            "off",
            "--no-access-log",
            "--log-level",
            "warning",
            "--timeout-graceful-shutdown",
            "1",
        ],
        env,
    )


def _worker(env: dict[str, str], data_dir: Path) -> Child:
    command = [sys.executable, "-m", "nomikon", "worker", "--data-dir", str(data_dir)]
    return Child("worker", command, env, yielding=True)


def _model_server(command: list[str], env: dict[str, str]) -> Child:
    return Child("model server", command, env, yielding=True)


@contextlib.contextmanager
def children(
    started: list[Child], further: Callable[[], Child | None] = lambda: None
) -> Iterator[threading.Event]:
    """Keep processes running; on leaving, or on SIGTERM or Ctrl-C, stop them all.

    further: asked again and again for one more that is wanted now.
    """
    stopping = threading.Event()

    def stop(number: int, frame: FrameType | None) -> None:
        stopping.set()

    former = {s: signal.signal(s, stop) for s in (signal.SIGTERM, signal.SIGINT)}

    def look_after_all() -> None:
        while not stopping.wait(0.3):
            if (more := further()) is not None:
                started.append(more)
            for child in started:
                if not stopping.is_set():
                    child.look_after()

    keeper = threading.Thread(target=look_after_all, daemon=True)
    keeper.start()
    try:
        yield stopping
    finally:
        stopping.set()
        keeper.join()
        for child in started:
            child.stop()
        deadline = time.monotonic() + STOP_WITHIN_S
        for child in started:
            child.wait_until_stopped(deadline)
        for sign, handler in former.items():
            signal.signal(sign, handler)


@contextlib.contextmanager
def sole_server(data_dir: Path, address: str) -> Iterator[None]:
    """Hold a data directory while it is served. Raises ServedError where somebody else does."""
    data_dir.mkdir(parents=True, exist_ok=True, mode=0o700)
    with open(data_dir / SERVING, "a+", encoding="utf-8") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            file.seek(0)
            told = file.read().strip() or "another address"
            raise ServedError(
                f"{data_dir} is served already at {told}: open that, or stop it first"
            ) from error
        file.truncate(0)
        file.write(address)
        file.flush()
        yield


def _open_many() -> None:
    """As many descriptors as this machine allows: every open page holds one."""
    with contextlib.suppress(ValueError, OSError):
        import resource

        _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))


def _refuse_port(host: str, port: int) -> int:
    print(
        f"port {port} on {host} is in use: stop what listens there, or choose another with --port",
        file=sys.stderr,
    )
    return 2


def serve(
    *,
    host: str,
    port: int,
    data_dir: Path,
    open_to_anyone: bool = False,
    key_env: Sequence[str] = (),
    files: Path | None = None,
) -> int:
    """Run web and worker until told to stop; returns the exit status."""
    if not is_loopback(host) and not open_to_anyone:
        return _refuse_open(host)
    if not port_free(host, port):
        return _refuse_port(host, port)
    _open_many()
    with sole_server(data_dir, f"http://{host}:{port}/"):
        return _serve(host, port, data_dir, environment(data_dir, host, key_env, files))


def _serve(host: str, port: int, data_dir: Path, env: dict[str, str]) -> int:
    set_up_django(data_dir)
    wanted = _simulated_on_wish(data_dir, env)
    with children([_web(host, port, env), _worker(env, data_dir)], wanted) as stopping:
        if wait_for_port(host, port):
            print(f"Nomikon is at http://{host}:{port}/", flush=True)
            if not is_loopback(host):
                print("It is open to anyone who reaches this machine.", flush=True)
        stopping.wait()
    return 0


def _simulated_on_wish(data_dir: Path, env: dict[str, str]) -> Callable[[], Child | None]:
    """Starts the server of the simulated models as soon as the page has asked for it, once."""
    running = False

    def look() -> Child | None:
        nonlocal running
        if running or not is_wanted(data_dir):
            return None
        running = True
        command = model_server(_model_server_port(data_dir))
        return None if command is None else _model_server(command, env)

    return look


def worker(*, data_dir: Path) -> None:
    """Run the worker in this process."""
    hold_to_parent()
    set_up_django(data_dir)
    from nomikon.server.process.worker import main

    main()


def demo(*, host: str, port: int, data_dir: Path, serving: bool) -> int:
    """Seed what is missing of the demo, with its trials really run, and serve it."""
    if serving and not port_free(host, port):
        return _refuse_port(host, port)
    set_up_django(data_dir)
    from nomikon.server.demo import Seeder

    port_of_models = _model_server_port(data_dir)
    command = model_server(port_of_models)
    if command is None:
        print("no simulated models are installed, and the demo runs on them", file=sys.stderr)
        return 2
    seeder = Seeder(base_url=f"http://127.0.0.1:{port_of_models}/v1")
    seeder.plant()
    # Served later without the demo, its models are there, too.
    (data_dir / WANTED).touch()
    env = environment(data_dir, host)
    started = [_model_server(command, env), _worker(env, data_dir)]
    if serving:
        started.append(_web(host, port, env))
    with children(started) as stopping:
        if not wait_for_port("127.0.0.1", port_of_models):
            print("the server of the simulated models did not start", file=sys.stderr)
            return 1
        if serving and wait_for_port(host, port):
            print(f"Nomikon is at http://{host}:{port}/", flush=True)
        finished = seeder.finish(stopping)
        if serving:
            stopping.wait()
    return 0 if finished or serving else 1


def _model_server_port(data_dir: Path) -> int:
    """The port of the simulated models: the usual one, else a free one; kept for the next start."""
    had = port_kept(data_dir)
    if had is not None and port_free("127.0.0.1", had):
        return had
    kept = next(data_dir.glob("*-port"), data_dir / PORT)
    port = MODEL_SERVER_PORT
    if not port_free("127.0.0.1", port):
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
    data_dir.mkdir(parents=True, exist_ok=True)
    kept.write_text(str(port), encoding="ascii")
    return port
