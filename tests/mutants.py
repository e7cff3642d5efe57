"""Do the tests notice small faults? `make mutants` plants some, one at a time, and says which live.

Every comparison, sum, product, `and`, `or`, `not` and minus of statistics, prompts, engine and
trials can be turned into its neighbour. A seed draws some of these; for each the tests that touch
its file are run on a copy of the program. What no test notices is printed with its line.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src/nomikon"
# The tests that touch a folder, the quick ones first: the next are run only where those notice
# nothing.
TOUCHING: dict[str, tuple[tuple[str, ...], ...]] = {
    "core/stats": (("tests.core",), ("tests.server.test_verdict", "tests.server.test_watching",
                                     "tests.server.test_weights", "tests.test_cli")),
    "core/prompts": (("tests.core",), ("tests.test_cli", "tests.server.test_drafts",
                                       "tests.server.test_weights", "tests.server.test_writing",
                                       "tests.server.test_api", "tests.server.test_reviewing")),
    "core/trials": (("tests.core", "tests.engine.test_coordinator"),
                    ("tests.server.test_running", "tests.server.test_judging",
                     "tests.server.test_rounds", "tests.server.test_api")),
    "engine": (("tests.engine.test_coordinator",),
               ("tests.server.test_running", "tests.server.test_judging",
                "tests.server.test_rounds", "tests.engine.test_cluster")),
    "server/apps/trials": (("tests.server.test_running", "tests.server.test_rescoring",
                       "tests.server.test_verdict", "tests.server.test_overview"),
                      ("tests.server.test_judging", "tests.server.test_api",
                       "tests.server.test_rounds", "tests.server.test_watching",
                       "tests.server.test_weights", "tests.server.test_reworking",
                       "tests.server.test_cases", "tests.server.test_processes",
                       "tests.server.test_machine_room")),
}  # fmt: skip
SWAPPED: dict[type, tuple[str, str]] = {
    ast.Lt: ("<", "<="), ast.LtE: ("<=", "<"), ast.Gt: (">", ">="), ast.GtE: (">=", ">"),
    ast.Eq: ("==", "!="), ast.NotEq: ("!=", "=="), ast.In: ("in", "not in"),
    ast.NotIn: ("not in", "in"), ast.Is: ("is", "is not"), ast.IsNot: ("is not", "is"),
    ast.Add: ("+", "-"), ast.Sub: ("-", "+"), ast.Mult: ("*", "/"), ast.Div: ("/", "*"),
    ast.FloorDiv: ("//", "*"), ast.Mod: ("%", "*"), ast.Pow: ("**", "*"),
    ast.And: ("and", "or"), ast.Or: ("or", "and"),
}  # fmt: skip
TIME_LIMIT_S = 400


@dataclass(frozen=True)
class Mutant:
    """One operator turned. start, end: places in the file's text; made: what stands there then."""

    file: Path
    line: int
    start: int
    end: int
    made: str

    def told(self) -> str:
        text = self.file.read_text(encoding="utf-8")
        row = text.splitlines()[self.line - 1].strip()
        was = text[self.start : self.end].strip()
        return f"{self.file.relative_to(ROOT)}:{self.line}: {was!r} → {self.made.strip()!r}   {row}"


def mutants_of(file: Path) -> Iterator[Mutant]:
    """Every operator mutant of a file, in the order of its text."""
    text = file.read_text(encoding="utf-8")
    tree = ast.parse(text)
    left_out = {id(inner) for node in ast.walk(tree) for a in _notes(node) for inner in ast.walk(a)}
    starts = _line_starts(text)

    def place(line: int, column: int) -> int:
        row = text[starts[line - 1] :].encode()[:column]
        return starts[line - 1] + len(row.decode())

    def between(a: ast.expr, b: ast.expr, operator: type) -> Iterator[Mutant]:
        first = place(a.end_lineno or 0, a.end_col_offset or 0)
        last = place(b.lineno, b.col_offset)
        was, made = SWAPPED[operator]
        found = text.find(was, first, last)
        if found >= 0:
            line = text.count("\n", 0, found) + 1
            yield Mutant(file, line, found, found + len(was), made)

    for node in ast.walk(tree):
        if id(node) in left_out:
            continue
        if isinstance(node, ast.Compare):
            sides = [node.left, *node.comparators]
            for a, op, b in zip(sides, node.ops, sides[1:], strict=False):
                yield from between(a, b, type(op))
        elif isinstance(node, ast.BinOp) and type(node.op) in SWAPPED:
            yield from between(node.left, node.right, type(node.op))
        elif isinstance(node, ast.BoolOp):
            for a, b in zip(node.values, node.values[1:], strict=False):
                yield from between(a, b, type(node.op))
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, (ast.Not, ast.USub)):
            first = place(node.lineno, node.col_offset)
            length = 4 if isinstance(node.op, ast.Not) else 1
            yield Mutant(file, node.lineno, first, first + length, "")


def _notes(node: ast.AST) -> list[ast.AST]:
    """Parts of a node that say what it is and compute nothing: annotations and decorators."""
    found = [getattr(node, name, None) for name in ("annotation", "returns")]
    return [f for f in [*found, *getattr(node, "decorator_list", [])] if f is not None]


def _line_starts(text: str) -> list[int]:
    starts = [0]
    for line in text.splitlines(keepends=True):
        starts.append(starts[-1] + len(line))
    return starts


def drawn(seed: int, n: int) -> list[Mutant]:
    """n mutants of all there are."""
    files = sorted(f for folder in TOUCHING for f in (SOURCE / folder).rglob("*.py"))
    every = [m for f in files if "migrations" not in f.parts for m in mutants_of(f)]
    print(f"{len(every)} operator mutants; {n} drawn with seed {seed}", flush=True)
    return random.Random(seed).sample(every, min(n, len(every)))


def caught(mutant: Mutant, copy: Path) -> bool:
    """Whether a test notices the mutant; it is planted in the copy and taken out again."""
    inner = mutant.file.relative_to(ROOT)
    text = mutant.file.read_text(encoding="utf-8")
    changed = text[: mutant.start] + mutant.made + text[mutant.end :]
    (copy / inner).write_text(changed, encoding="utf-8")
    try:
        return any(not _pass(copy, labels) for labels in TOUCHING[_folder(mutant)])
    finally:
        (copy / inner).write_text(text, encoding="utf-8")


def _folder(mutant: Mutant) -> str:
    return next(f for f in TOUCHING if (SOURCE / f) in mutant.file.parents)


def _pass(copy: Path, labels: tuple[str, ...]) -> bool:
    with tempfile.TemporaryDirectory() as data:
        environment = {
            **os.environ,
            "NOMIKON_DATA_DIR": data,
            "PYTHONPATH": str(copy / "src"),
            "NOMIKON_DEMO_DIR": str(ROOT / "demo"),
            "NOMIKON_WEB_DIST": str(ROOT / "web/dist"),
        }
        try:
            done = subprocess.run(
                [sys.executable, "manage.py", "test", *labels, "--failfast", "--noinput",
                 "--exclude-tag", "long"],
                cwd=copy, env=environment, capture_output=True, timeout=TIME_LIMIT_S, check=False,
            )  # fmt: skip
        except subprocess.TimeoutExpired:
            # A loop without end is noticed, too.
            return False
    return done.returncode == 0


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("-n", type=int, default=60)
    chosen = parser.parse_args()
    found = drawn(chosen.seed, chosen.n)
    workers = os.cpu_count() or 1
    with tempfile.TemporaryDirectory(prefix="nomikon-mutants-") as folder:
        copies: Queue[Path] = Queue()
        for number in range(workers):
            copy = Path(folder) / str(number)
            ignored = shutil.ignore_patterns("__pycache__")
            for part in ("src", "tests", "docs", "demo", "web/src"):
                shutil.copytree(ROOT / part, copy / part, ignore=ignored)
            shutil.copy(ROOT / "manage.py", copy)
            copies.put(copy)

        # A test that fails anyway notices nothing.
        touching = {labels for f in {_folder(m) for m in found} for labels in TOUCHING[f]}
        if bad := [labels for labels in sorted(touching) if not _pass(copy, labels)]:
            print(f"these fail on the program as it is: {bad}", file=sys.stderr)
            return 1

        def one(mutant: Mutant) -> bool:
            copy = copies.get()
            try:
                noticed = caught(mutant, copy)
            finally:
                copies.put(copy)
            print(f"{'caught  ' if noticed else 'SURVIVED'} {mutant.told()}", flush=True)
            return noticed

        with ThreadPoolExecutor(workers) as pool:
            noticed = list(pool.map(one, found))
    print(f"{sum(noticed)} of {len(noticed)} caught")
    return 0


if __name__ == "__main__":
    sys.exit(main())
