"""Lines that tell an encoding and a delimiter, as each candidate reads them."""

import io
import unittest

from nomikon.core.cases.hard_lines import CANDIDATES, delimiters_read, encodings_read

SAID = [
    "plain words that tell nothing",
    "Die Fähre fährt über Ærø, 5 € für Kinder",
    "L’été à Sète… coûte “cher”",
    "ničí člun",
]


class HardLinesTest(unittest.TestCase):
    def read(self, text, encoding):
        return {e.encoding: e for e in encodings_read(io.BytesIO(text.encode(encoding)))}

    def test_every_encoding_reads_its_own_lines_rightly_and_others_show_what_they_make_of_it(self):
        text = "\n".join(["x" * 300, *SAID[:3]]) + "\n"
        for encoding in ("utf-8", "cp1252", "mac-roman", "utf-16"):
            found = self.read(text, encoding)
            self.assertTrue(found[encoding].fits, encoding)
            told = " ".join(found[encoding].lines)
            self.assertIn("fährt über Ærø", told, encoding)
        self.assertFalse(self.read(text, "cp1252")["utf-8"].fits)
        self.assertFalse(self.read(text, "cp1252")["utf-16"].fits)
        self.assertIn("Ã¤", " ".join(self.read(text, "utf-8")["iso-8859-1"].lines))

    def test_few_lines_show_every_byte_that_tells(self):
        text = "\n".join(["é only", *["also é"] * 50, "ö and ü", "é again", "ß"]) + "\n"
        lines = self.read(text, "cp1252")["cp1252"].lines
        self.assertEqual(lines[0], "ö and ü")
        self.assertEqual(set(lines[1:]), {"é only", "ß"})

    def test_far_down_and_in_the_midst_of_a_long_line_it_is_found(self):
        far = "\n".join(["plain"] * 200_000 + ["a " * 200 + "čaj " + "b " * 200]) + "\n"
        found = self.read(far, "cp1250")
        self.assertIn("cp1250", CANDIDATES)
        self.assertIn("čaj", found["cp1250"].lines[0])
        self.assertLess(len(found["cp1250"].lines[0]), 80)
        self.assertEqual(encodings_read(io.BytesIO(b"all plain\n")), [])

    def test_the_delimiter_that_parts_rows_alike_stands_first(self):
        text = 'id;said\n1;"a, b; c"\n2;d, e, f\n3;x;y\n'
        first, *rest = delimiters_read(io.BytesIO(text.encode()), "utf-8")
        self.assertEqual((first.mark, first.columns, first.fitting, first.rows), (";", 2, 2, 3))
        self.assertEqual((first.odd_line, first.odd), (4, ("3", "x", "y")))
        self.assertEqual({r.columns for r in rest}, {1})
        self.assertEqual(delimiters_read(io.BytesIO(b""), "utf-8")[0].rows, 0)
