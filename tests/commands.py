"""The `nomikon` command run in this process: reading NumPy and SciPy anew takes two seconds a time."""

from __future__ import annotations

import contextlib
import io
import sys
from pathlib import Path
from unittest import mock

from nomikon.cli import main


def nomikon(*words: str, cwd: Path | None = None) -> tuple[int, str, str]:
    """Status, output and errors of a command, as a shell would see them."""
    out, err = io.StringIO(), io.StringIO()
    with (
        mock.patch.object(sys, "argv", ["nomikon", *words]),
        contextlib.redirect_stdout(out),
        contextlib.redirect_stderr(err),
        contextlib.chdir(cwd or "."),
    ):
        try:
            main()
        except SystemExit as end:
            status = end.code if isinstance(end.code, int) else 1
    return status, out.getvalue(), err.getvalue()
