"""The process that scores: reads batches of jobs, tells what it is at, answers one by one.

Each score has its processor time; what does not come back within it is ended from inside where
Python is running, and by the parent where it is not.
"""

from __future__ import annotations

import signal
import sys
from typing import Any, BinaryIO

from nomikon.core.measures.mishaps import OutOfTimeError, mishap
from nomikon.engine.scoring.jobs import AT, DONE, Job, none_of, worked_out
from nomikon.engine.wire import bound_memory, receive, send


def main() -> None:
    """Score what comes in until nothing more does. The one argument: processor seconds a score may take."""
    cpu_s = float(sys.argv[1])
    source, out = sys.stdin.buffer, sys.stdout.buffer
    # Whatever an own measure prints is no answer of ours.
    sys.stdout = sys.stderr
    bound_memory()
    signal.signal(signal.SIGPROF, _out_of_time)
    # The parent decides when it ends: a Ctrl C in the terminal is for it.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    send(out, "ready")
    while (batch := receive(source)) is not None:
        for job in batch:
            send(out, (DONE, _scored(job, out, cpu_s)))


def _scored(job: Job, out: BinaryIO, cpu_s: float) -> Any:
    def at(name: str) -> None:
        signal.setitimer(signal.ITIMER_PROF, cpu_s)
        send(out, (AT, name))

    try:
        return worked_out(job, at)
    except (Exception, MemoryError) as error:  # noqa: BLE001
        return none_of(job, mishap(error))
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)


def _out_of_time(number: int, frame: object) -> None:
    raise OutOfTimeError


if __name__ == "__main__":
    main()
