"""Tables of cases: what is read, what is refused and where."""

import itertools
import unittest

from nomikon.core.cases import read_csv, read_jsonl, write_csv
from nomikon.core.errors import TableError


class ReadCsvTest(unittest.TestCase):
    def test_quotes_breaks_and_marks(self):
        table = read_csv(b'a,b\r\n"x, ""y""","two\nlines"\r\n\r\n1,2\r\n')
        self.assertEqual(table.rows, [{"a": 'x, "y"', "b": "two\nlines"}, {"a": "1", "b": "2"}])
        self.assertEqual(table.lines, [2, 5])

    def test_delimiters_and_marks_at_the_start_are_found(self):
        self.assertEqual(read_csv(b"\xef\xbb\xbfa;b\n1;2,5\n").rows, [{"a": "1", "b": "2,5"}])
        self.assertEqual(read_csv(b"a\tb\n1\t2\n").delimiter, "\t")

    def test_ragged_rows_are_refused_by_line_and_the_good_kept(self):
        table = read_csv(b"a,b\n1,2\n3\n4,5,6\n7,8\n")
        self.assertEqual([r["a"] for r in table.rows], ["1", "7"])
        self.assertEqual([r.line for r in table.refused], [3, 4])
        self.assertIn("1 fields where the header has 2", table.refused[0].reason)

    def test_encodings(self):
        text = "wörd,naïve\ncafé au lait déjà,žluť\n" * 3
        self.assertEqual(read_csv(text.encode("utf-16")).encoding, "utf-16")
        western = "name,stadt\nJürgen,Köln\nZoë,Malmö\nAndré,Besançon\n"
        table = read_csv(western.encode("cp1252"))
        self.assertEqual(table.rows[0]["stadt"], "Köln")
        self.assertIn("likeliest", table.notes[0])
        with self.assertRaises(TableError) as caught:
            read_csv(western.encode("cp1252"), encoding="utf-8")
        self.assertEqual((caught.exception.field, caught.exception.facts["line"]), ("encoding", 2))

    def test_short_western_and_polish_texts_are_told_apart(self):
        for text, encoding in (
            ("sea;wet\nMalmö;ja\nKöpenhamn;nej\n", "cp1252"),
            ("name\nFrançois était là où ça s’est passé\n", "cp1252"),
            ("name\nŁódź jest daleko i wieś też\n", "cp1250"),
        ):
            with self.subTest(text=text[:20]):
                rows = read_csv(text.encode(encoding)).rows
                self.assertEqual(list(rows[0].values()), text.split("\n")[1].split(";"))

    def test_refusals(self):
        for data, words in [
            (b"", "empty"),
            (b"\n \n", "empty"),
            (b"a,a\n1,2\n", "more than once"),
            (b"a,\n1,2\n", "no name"),
            (b'a,b\n"x,2\n', "not closed"),
            (b"a,b\n\x00,1\n", "NUL"),
        ]:
            with self.subTest(data=data), self.assertRaises(TableError) as caught:
                read_csv(data)
            self.assertIn(words, str(caught.exception))


class JsonLinesTest(unittest.TestCase):
    def test_bad_lines_are_named_and_good_ones_kept(self):
        table = read_jsonl(b'{"a": 1}\nnot json\n[1]\n{"a": NaN}\n{"b": "x"}\n')
        self.assertEqual(table.rows, [{"a": 1}, {"b": "x"}])
        self.assertEqual([r.line for r in table.refused], [2, 3, 4])
        self.assertEqual(table.columns, ["a", "b"])


class WriteCsvTest(unittest.TestCase):
    def test_every_text_comes_back_as_it_was(self):
        signs = ["'", "=", "+", "-", "@", "\t", "a", "5", ",", '"', "\n", " "]
        texts = ["".join(p) for n in (1, 2, 3) for p in itertools.product(signs, repeat=n)]
        texts = [t for t in texts if t.strip()]
        table = read_csv(write_csv(["t"], [{"t": t} for t in texts]).encode(), delimiter=",")
        self.assertEqual([r["t"] for r in table.rows], texts)
        header = read_csv(write_csv(["=a", "'b"], [{"=a": 1, "'b": 2}]).encode())
        self.assertEqual(header.columns, ["=a", "'b"])

    def test_a_spreadsheet_runs_nothing(self):
        text = write_csv(["a", "b"], [{"a": "=1+1", "b": "@x"}, {"a": "-2", "b": None}])
        self.assertEqual(text.splitlines(), ["a,b", "'=1+1,'@x", "-2,"])
