"""What the house promises to whoever builds on: short functions, guides that name what is there."""

import ast
import re
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
LONGEST = 60
GUIDES = ("CONTRIBUTING.md", "docs/architecture.md", "README.md")


class HouseTest(unittest.TestCase):
    def test_no_function_is_too_long_to_hold_in_the_head(self):
        long = []
        for path in (ROOT / "src").rglob("*.py"):
            if "migrations" in path.parts:
                continue
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                    lines = (node.end_lineno or 0) - node.lineno + 1
                    if lines > LONGEST:
                        long.append(f"{path.relative_to(ROOT)}: {node.name} has {lines} lines")
        self.assertEqual(long, [])

    def test_the_guides_name_files_that_are_there(self):
        there = {str(p.relative_to(ROOT)) for p in ROOT.glob("[!.]*")}
        for top in ("src", "web/src", "tests", "docs", "demo", "bench"):
            there |= {str(p.relative_to(ROOT)) for p in (ROOT / top).rglob("*")}
        missing = []
        for guide in GUIDES:
            for name in re.findall(r"`([\w./-]+/[\w./-]+)`", (ROOT / guide).read_text()):
                if any(c in name for c in "<>*") or name.startswith(("/", "http", ".venv")):
                    continue
                if not any(f"/{path}".endswith(f"/{name.rstrip('/')}") for path in there):
                    missing.append(f"{guide}: {name}")
        self.assertEqual(missing, [])


if __name__ == "__main__":
    unittest.main()
