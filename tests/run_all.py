"""Runs every check and every test, and ends with `N passed, N failed`.

A static check (a linter, a type checker, a document that must be up to date)
counts as one test.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
BIN = Path(sys.executable).parent
WEB = ROOT / "web"
TIME_LIMIT_S = 3000
PROCESSES = max(2, os.cpu_count() or 1)
# A test that drives a browser or waits for a trial leaves its core idle a third of the time.
TEST_PROCESSES = PROCESSES + 1


def run(command: list[str], cwd: Path = ROOT, env: dict[str, str] | None = None) -> tuple[int, str]:
    """Run a command to its end; its status and all it printed."""
    done = subprocess.run(
        command,
        cwd=cwd,
        env={**os.environ, **(env or {})},
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        timeout=TIME_LIMIT_S,
        check=False,
        stdin=subprocess.DEVNULL,
    )
    return done.returncode, done.stdout


@dataclass(frozen=True)
class Check:
    """One static check: its name and the command that exits with 0 where all is well."""

    name: str
    command: list[str]
    cwd: Path = ROOT

    def run(self) -> tuple[bool, str]:
        """Whether it passed, and what is told of it; what it printed only when it fails."""
        status, said = run(self.command, self.cwd)
        told = f"{'ok    ' if status == 0 else 'FAILED'} {self.name}"
        return status == 0, told if status == 0 else f"{told}\n{said}"


def documents_current() -> tuple[bool, str]:
    """Whether the API document is that of the code; the page's types are made from it."""
    with tempfile.TemporaryDirectory() as folder:
        document = Path(folder) / "openapi.json"
        status, said = run(
            [sys.executable, "manage.py", "spectacular", "--format", "openapi-json",
             "--fail-on-warn", "--file", str(document)]
        )  # fmt: skip
        same = status == 0 and document.read_text() == (ROOT / "docs/openapi.json").read_text()
    told = f"{'ok    ' if same else 'FAILED'} API document"
    if same:
        return True, told
    return False, f"{told}\n{said[-3000:]}\ndocs/openapi.json is out of date: run `make types`"


def ensure_chromium() -> None:
    """Install Debian's Chromium where it is missing and this may; say what to do where not."""
    if shutil.which("chromium"):
        return
    prefix = [] if os.geteuid() == 0 else (["sudo", "-n"] if shutil.which("sudo") else None)
    if prefix is not None and shutil.which("apt-get"):
        print("installing chromium for the browser tests …", flush=True)
        run([*prefix, "apt-get", "update", "-q"])
        run(
            [*prefix, "apt-get", "install", "-y", "-q", "chromium"],
            env={"DEBIAN_FRONTEND": "noninteractive"},
        )
    if not shutil.which("chromium"):
        print(
            "The browser tests need Chromium, which is not installed and could not be. "
            "Install Debian's package as root: apt-get install chromium"
        )


def static_checks() -> list[bool]:
    """Every linter and type checker, as many at a time as there are processors."""
    sources = ["src", "tests", "bench", "manage.py"]
    npx = ["npx", "--no-install"]
    # The longest first, so that none is waited for alone at the end.
    checks: list[Callable[[], tuple[bool, str]]] = [
        Check("eslint", [*npx, "eslint", "src", "--max-warnings", "0"], WEB).run,
        Check("mypy", [str(BIN / "mypy")]).run,
        documents_current,
        Check(
            "types of the page",
            ["node", "node_modules/typescript-native/bin/tsc", "-p", "tsconfig.json"],
            WEB,
        ).run,
        Check("unused code of the page", [*npx, "knip", "--no-progress"], WEB).run,
        Check("format of the page", [*npx, "prettier", "--check", "src"], WEB).run,
        Check("layers", [str(BIN / "lint-imports")]).run,
        Check(
            "migrations", [sys.executable, "manage.py", "makemigrations", "--check", "--dry-run"]
        ).run,
        Check("ruff", [str(BIN / "ruff"), "check", *sources]).run,
        Check("format", [str(BIN / "ruff"), "format", "--check", *sources]).run,
    ]
    passed = []
    with ThreadPoolExecutor(PROCESSES) as pool:
        for well, told in pool.map(lambda c: c(), checks):
            print(told, flush=True)
            passed.append(well)
    return passed


def page_tests() -> tuple[int, int]:
    """Unit tests of the page's pure functions: passed, failed."""
    status, said = run(["npx", "--no-install", "vitest", "run"], WEB, {"NO_COLOR": "1"})
    passed = re.search(r"Tests\s+.*?(\d+) passed", said)
    failed = re.search(r"Tests\s+.*?(\d+) failed", said)
    counts = int(passed.group(1)) if passed else 0, int(failed.group(1)) if failed else 0
    if status != 0:
        print(said)
        counts = counts[0], max(1, counts[1])
    print(f"page: {counts[0]} passed, {counts[1]} failed", flush=True)
    return counts


def python_tests() -> tuple[int, int]:
    """Django's runner over tests/: passed, failed."""
    with tempfile.TemporaryDirectory() as folder:
        status, said = run(
            [
                sys.executable,
                "-W",
                "error::ResourceWarning",
                "manage.py",
                "test",
                "tests",
                "--noinput",
                "--testrunner",
                "tests.runner.Runner",
                "--parallel",
                str(TEST_PROCESSES),
                # Simulations and the like: `make test-long`.
                "--exclude-tag",
                "long",
            ],
            env={"NOMIKON_DATA_DIR": folder},
        )
    ran = re.search(r"^Ran (\d+) tests?", said, re.M)
    total = int(ran.group(1)) if ran else 0
    bad = sum(int(n) for n in re.findall(r"(?:failures|errors|unexpected successes)=(\d+)", said))
    skipped = sum(int(n) for n in re.findall(r"skipped=(\d+)", said))
    if status != 0 or total == 0:
        print(said[-20_000:])
        bad = max(bad, 1)
    else:
        print("the slowest:", *re.findall(r"^ *[0-9.]+ s  .*", said, re.M), sep="\n")
    print(f"python: {total - bad - skipped} passed, {bad} failed, {skipped} skipped", flush=True)
    return max(0, total - bad - skipped), bad


def main() -> int:
    """Run all; 0 only when nothing failed."""
    began = time.monotonic()
    checks = static_checks()
    passed, failed = checks.count(True), checks.count(False)
    if "--only-checks" not in sys.argv:
        ensure_chromium()
        for counts in (page_tests(), python_tests()):
            passed, failed = passed + counts[0], failed + counts[1]
    print(f"it took {time.monotonic() - began:.0f} s")
    print(f"{passed} passed, {failed} failed")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
