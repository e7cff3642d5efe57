"""The guide names things as the page does, in ten short chapters that each end in something done."""

import re
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
GUIDE = sorted((ROOT / "docs/guide").glob("*.md"))
LONGEST_WORDS = 420


def page_text():
    """All that the page and the server can say, blanks as one."""
    texts = [p.read_text(encoding="utf-8") for p in (ROOT / "web/src").rglob("*.ts*")]
    texts += [p.read_text(encoding="utf-8") for p in (ROOT / "src/nomikon/server").rglob("*.py")]
    return " ".join(" ".join(texts).split())


class GuideTest(unittest.TestCase):
    def test_every_name_in_bold_stands_on_a_screen(self):
        said = page_text().casefold()
        for chapter in GUIDE:
            text = " ".join(chapter.read_text(encoding="utf-8").replace("&nbsp;", " ").split())
            for name in re.findall(r"\*\*(.+?)\*\*", text):
                if name in ("Done:", "Measures"):
                    continue
                with self.subTest(chapter=chapter.name, name=name):
                    self.assertIn(name.casefold(), said)

    def test_ten_short_chapters_each_with_something_done(self):
        self.assertEqual(len(GUIDE), 10)
        for number, chapter in enumerate(GUIDE, 1):
            text = chapter.read_text(encoding="utf-8")
            with self.subTest(chapter=chapter.name):
                self.assertTrue(text.startswith(f"# {number}. "))
                self.assertRegex(text.rstrip().split("\n\n")[-1], r"\A\*\*Done:\*\* .+\.\Z")
                self.assertLess(len(text.split()), LONGEST_WORDS)
