"""Tables of cases: what is read, what is refused and where."""

import codecs
import io
import itertools
import json
import time
import unittest
import zipfile
from unittest import mock

import openpyxl

from nomikon.core.cases import (
    open_xlsx,
    read_csv,
    read_jsonl,
    read_xlsx,
    spreadsheets,
    write_csv,
    write_xlsx,
)
from nomikon.core.cases.hard_lines import delimiters_read
from nomikon.core.cases.mixed import MIXED
from nomikon.core.cases.tables import find_encoding
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

    def test_headings_as_programs_write_them(self):
        for text, columns, rows, told in (
            # A mark behind the last column, with and without one behind the cells.
            ("a,b,\n1,2,\n3,4\n", ["a", "b"], [("1", "2"), ("3", "4")], ""),
            ("a,a\n1,2\n", ["a", "a (2)"], [("1", "2")], "a stands twice: column 2"),
            ("a,,b\n1,2,3\n", ["a", "column 2", "b"], [("1", "2", "3")], "column 2 has no name"),
            ("Lost things;;\nid;sea;note\n1;North;x\n", ["id", "sea", "note"],
             [("1", "North", "x")], "line 1 is left out: a title"),
            ("Lost things, March\n\nid;sea\n1;North\n", ["id", "sea"], [("1", "North")],
             "line 1 is left out"),
            ("What guests ask\nWhere, please?\nWhen, and why?\n", ["What guests ask"], [], ""),
            # One column of texts with commas in them has no title.
            ("text\nhello, world\nwell, well\n", ["text"], [], ""),
            ("My own words\n\"hello, world\"\n\"well, well\"\n", ["My own words"],
             [("hello, world",), ("well, well",)], ""),
        ):  # fmt: skip
            with self.subTest(text=text):
                found = read_csv(text.encode())
                self.assertEqual(found.columns, columns)
                self.assertEqual([tuple(r.values()) for r in found.rows], rows)
                self.assertIn(told, "; ".join(found.notes))
        behind = read_csv(b"a,b,\n1,2,3\n4,5,\n")
        self.assertIn("behind the last column", behind.refused[0].reason)
        self.assertEqual(len(behind.rows), 1)

    def test_two_encodings_are_read_line_by_line_and_told(self):
        lines = ["name", "Zoë", "Łódź", "plain", "naïve café"]
        data = b"\n".join(x.encode("cp1252" if x == "naïve café" else "utf-8") for x in lines)
        found = read_csv(data)
        self.assertEqual([r["name"] for r in found.rows], lines[1:])
        self.assertIn("not UTF-8, and read as cp1252, are the lines 5", found.notes[0])
        # What the preview found is what the import is told, and it reads the same.
        again = read_csv(data, encoding=found.encoding)
        self.assertEqual(again.rows, found.rows)
        # Whoever else opens a text by the encoding that was found reads it so, too.
        self.assertEqual(data.decode(find_encoding(io.BytesIO(data))).split("\n"), lines)
        self.assertEqual(
            delimiters_read(io.BytesIO(data), found.encoding),
            delimiters_read(io.BytesIO("\n".join(lines).encode()), "utf-8"),
        )
        # A sign that a piece cuts in two is one sign all the same.
        decoder = codecs.getincrementaldecoder(MIXED)()
        pieces = [decoder.decode(data[i : i + 1]) for i in range(len(data))]
        self.assertEqual("".join(pieces) + decoder.decode(b"", final=True), "\n".join(lines))

    def test_a_json_array_is_a_table_and_lines_stay_lines(self):
        rows = [{"sea": "North", "deep": 3}, {"sea": "Süd"}]
        for text in (
            json.dumps(rows),
            json.dumps(rows, indent=1),
            json.dumps({"cases": rows}, indent=2),
        ):
            with self.subTest(text=text[:20]):
                found = read_jsonl(text.encode())
                self.assertEqual((found.columns, found.rows), (["sea", "deep"], rows))
                self.assertIn("one JSON array", found.notes[0])
        self.assertEqual(read_jsonl(b'{"cases": [{"a": 1}]}\n{"cases": []}\n').columns, ["cases"])
        (refused,) = read_jsonl(b'[{"a": 1}, 5]').refused
        self.assertEqual((refused.line, refused.reason), (2, "not a JSON object"))

    def test_a_sheet_is_chosen_and_the_others_are_told(self):
        book = openpyxl.Workbook()
        book.active.title = "Notes"
        for row in (["Lost things"], ["id", "sea", ""], [1, "North"]):
            book.active.append(row)
        other = book.create_sheet("Cases")
        for row in (["sea", "sea"], ["East", "West"]):
            other.append(row)
        file = io.BytesIO()
        book.save(file)
        first = open_xlsx(file)
        self.assertEqual((first.sheets, first.columns), (["Notes", "Cases"], ["id", "sea"]))
        self.assertIn("read is the sheet Notes, not Cases", first.notes)
        second = open_xlsx(file, sheet="Cases").whole()
        self.assertEqual(second.rows, [{"sea": "East", "sea (2)": "West"}])
        with self.assertRaisesRegex(TableError, "no sheet 'Elsewhere'; it has Notes, Cases"):
            open_xlsx(file, sheet="Elsewhere")

    def test_refusals(self):
        for data, words in [
            (b"", "empty"),
            (b"\n \n", "empty"),
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


def sheet(rows, shared=None):
    """A spreadsheet file with these rows of XML."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        book = write_xlsx(["a"], [{"a": "x"}])
        with zipfile.ZipFile(io.BytesIO(book)) as good:
            for name in good.namelist():
                if name not in ("xl/worksheets/sheet1.xml", "xl/sharedStrings.xml"):
                    packed.writestr(name, good.read(name))
        packed.writestr("xl/sharedStrings.xml", shared or good_texts())
        packed.writestr(
            "xl/worksheets/sheet1.xml",
            '<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">'
            f"<sheetData>{rows}</sheetData></worksheet>",
        )
    return out.getvalue()


def good_texts():
    return '<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"/>'


class HostileFilesTest(unittest.TestCase):
    """Small files that would hold the program for ever, or grow without end: refused in words."""

    def refused(self, read):
        began = time.monotonic()
        with self.assertRaises(TableError) as caught:
            read()
        self.assertLess(time.monotonic() - began, 10)
        return caught.exception.message

    def test_columns_without_number(self):
        for n in (20_000, 200_000):
            header = ",".join(f"c{i}" for i in range(n)).encode()
            self.assertIn("columns", self.refused(lambda h=header: read_csv(h + b"\n1\n")))
        lines = "\n".join(f'{{"c{i}": 1}}' for i in range(3000)).encode()
        self.assertIn("columns", self.refused(lambda: read_jsonl(lines)))

    def test_numbers_that_are_none(self):
        table = read_jsonl(b'{"n": 1e999}\n{"n": 1}\n')
        self.assertEqual((len(table.rows), table.refused[0].line), (1, 1))

    def test_sheets(self):
        head = '<row r="1"><c r="A1" t="inlineStr"><is><t>a</t></is></c></row>'
        self.assertEqual(read_xlsx(sheet(f'{head}<row r="2"><c r="A2"><v>7</v></c></row>')).rows,
                         [{"a": 7}])  # fmt: skip
        far = f'{head}<row r="1000000000"><c r="A1000000000"><v>1</v></c></row>'
        self.assertIn("numbered beyond", self.refused(lambda: read_xlsx(sheet(far))))
        self.refused(lambda: read_xlsx(sheet(head + "<row><c><f" * 100_000)))
        self.refused(lambda: read_xlsx(sheet(head + "<f " * 300_000)))
        lost = f'{head}<row r="2"><c r="A2" t="s"><v>999999</v></c></row>'
        self.refused(lambda: read_xlsx(sheet(lost)))
        with mock.patch.object(spreadsheets, "MOST_SHARED", 1000):
            told = self.refused(lambda: read_xlsx(sheet(head, "<sst>" + "x" * 5000)))
        self.assertIn("texts of the file", told)

    def test_a_name_as_long_as_a_question_is_read_and_one_that_is_a_text_refused(self):
        question = b'"' + b"How was the crossing? " * 40 + b'"\n1\n'
        self.assertEqual(len(read_csv(question).rows), 1)
        told = self.refused(lambda: read_csv(b'"' + b"x" * 200_000 + b'"\n1\n'))
        self.assertIn("200,000 characters", told)
        lines = read_jsonl(b'{"": 1}\n{"' + b"k" * 5_000 + b'": 1}\n{"k": 1}\n')
        self.assertEqual([r.line for r in lines.refused], [1, 2])
