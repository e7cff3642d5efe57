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


class WordsTest(unittest.TestCase):
    """The page says a thing by one word; those that it had before do not come back."""

    FORMER = re.compile(
        r">\s*Gate\s*<|Have cases written|Takes calls|Seconds without a word|[`'\"]finish \$\{|Open as a version"
        r"|Score anew|>\s*Sweep|Does not matter|server defaults|Take it along|Draft from brief|Files…"
        r"|Per 1,000|Time, median|Form asked for|cases for the margin|Skip<|Put back<|Take out<"
    )

    def test_no_former_word_stands_on_a_screen(self):
        found = {}
        for file in (ROOT / "web/src").rglob("*.tsx"):
            if words := self.FORMER.findall(file.read_text(encoding="utf-8")):
                found[file.name] = words
        self.assertEqual(found, {})

    def test_every_word_that_can_be_asked_for_is_told(self):
        sheet = (ROOT / "web/src/parts/WordsSheet.tsx").read_text(encoding="utf-8")
        told = {
            w
            for row in re.findall(r"^\s*\[?\s*\[?'([a-z][^']*)',", sheet, re.M)
            for w in row.split(", ")
        }
        asked = set()
        for file in (ROOT / "web/src").rglob("*.tsx"):
            asked |= set(re.findall(r'<Word of="([^"]+)"', file.read_text(encoding="utf-8")))
        self.assertGreater(len(asked), 4)
        self.assertEqual(asked - told, set())
