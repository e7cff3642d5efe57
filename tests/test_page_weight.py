"""The first load stays light: all script of the page's heaviest first screen, compressed."""

import gzip
import re
import unittest
from pathlib import Path

DIST = Path(__file__).resolve().parents[1] / "web/dist"
LIMIT = 250_000


class PageWeightTest(unittest.TestCase):
    def test_first_load_of_any_screen_is_within_the_limit(self):
        index = (DIST / "index.html").read_text()
        entry = re.findall(r'(?:src|href)="/(assets/[^"]+\.js)"', index)
        self.assertTrue(entry, "the page is not built")
        sizes = {}
        for path in (DIST / "assets").glob("*Stage-*.js"):
            loaded: set[str] = set()
            waiting = [*entry, f"assets/{path.name}"]
            while waiting:
                name = waiting.pop()
                if name not in loaded:
                    loaded.add(name)
                    text = (DIST / name).read_text()
                    # Static imports only: what is imported lazily is no part of this load.
                    waiting += [
                        f"assets/{m}"
                        for m in re.findall(r'(?:from|import)\s*"\./([^"]+\.js)"', text)
                    ]
            sizes[path.name] = sum(len(gzip.compress((DIST / n).read_bytes())) for n in loaded)
        self.assertGreater(len(sizes), 5)
        for name, size in sizes.items():
            self.assertLess(size, LIMIT, f"{name}: {size:,} bytes compressed")

    def test_no_script_stands_in_the_page_itself(self):
        index = (DIST / "index.html").read_text()
        self.assertEqual(re.findall(r"<script(?![^>]*\bsrc=)", index), [])
