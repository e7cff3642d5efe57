"""Columns of cases: what kind of values they hold, what may be typed, sorting and narrowing."""

import io
import unittest
import zipfile
from unittest import mock

import openpyxl

from nomikon.core.cases import Refused, open_csv, open_jsonl, open_xlsx, read_csv, tables
from nomikon.core.cases.arranging import Condition, Row, arrange
from nomikon.core.cases.kinds import guess_kind, typed_value
from nomikon.core.errors import TableError


class KindTest(unittest.TestCase):
    def test_what_a_column_holds(self):
        for values, kind in (
            (["1", "-2.5", "", 3], "number"),
            (["007", "012"], "text"),
            (["1_000", "2"], "text"),
            (["nan", "2"], "text"),
            (["late", "lost"] * 4, "label"),
            (["late", "lost", "other"], "text"),
            (['{"a": 1}', {"b": 2}], "json"),
            (["x" * 200, "y"], "long-text"),
            (["two\nlines"], "long-text"),
            ([None, ""], "text"),
        ):
            with self.subTest(values=str(values)[:40]):
                self.assertEqual(guess_kind(values), kind)

    def test_a_value_keeps_its_sort_where_what_is_typed_reads_as_one(self):
        for text, kind, former, kept in (
            ("4", "text", 3, 4),
            ("4.5", "number", 3, 4.5),
            ("four", "text", 3, "four"),
            ("4", "number", "3", "4"),
            ('{"a": 2}', "json", {"a": 1}, {"a": 2}),
            ('{"a": 2}', "json", '{"a": 1}', '{"a": 2}'),
            ("false", "text", True, False),
            ("", "number", 3, ""),
        ):
            with self.subTest(text=text, former=former):
                found = typed_value(text, kind, former, column="c")
                self.assertEqual((found, type(found)), (kept, type(kept)))
        for text, kind in (
            ("deep", "number"),
            ("{", "json"),
            ("NaN", "json"),
            ("[" * 9999, "json"),
        ):
            with self.subTest(text=text[:5]), self.assertRaises(TableError) as caught:
                typed_value(text, kind, None, column="depth")
            self.assertEqual(caught.exception.field, "depth")


class ArrangeTest(unittest.TestCase):
    ROWS = (
        Row(1, {"n": "10", "t": "Ä sea"}, "yes", "working", ["odd"]),
        Row(2, {"n": "9", "t": "b"}, None, "held-out", []),
        Row(3, {"t": "a"}, "no", "working", ["odd", "long"]),
        Row(4, {"n": "x", "t": "B"}, "yes", "working", []),
    )

    def shown(self, **asked):
        return [self.ROWS[i].number for i in arrange(self.ROWS, **asked)]

    def test_numbers_by_size_then_texts_and_the_empty_last_either_way(self):
        self.assertEqual(self.shown(sort="n"), [2, 1, 4, 3])
        self.assertEqual(self.shown(sort="n", down=True), [4, 1, 2, 3])
        self.assertEqual(self.shown(sort="#reference"), [3, 1, 4, 2])

    def test_words_and_conditions_narrow_together(self):
        self.assertEqual(self.shown(words="ä SEA"), [1])
        for condition, shown in (
            (("t", "holds", "B"), [2, 4]),
            (("t", "is", "B"), [4]),
            (("#tags", "is", "odd"), [1, 3]),
            (("#tags", "is-not", "odd"), [2, 4]),
            (("#reference", "empty", ""), [2]),
            (("n", "filled", ""), [1, 2, 4]),
            (("#split", "is", "held-out"), [2]),
        ):
            with self.subTest(condition=condition):
                self.assertEqual(self.shown(conditions=[Condition(*condition)]), shown)


class StreamedTest(unittest.TestCase):
    def test_a_row_at_a_time_gives_what_the_whole_gives(self):
        data = 'a;b\n1;"x\ny"\n2\n\n3;ä\n'.encode()
        whole = read_csv(data)
        streamed = open_csv(io.BytesIO(data))
        self.assertEqual(list(streamed.records()), list(whole.records()))
        self.assertEqual(list(streamed.records()), list(whole.records()), "a second pass")

    def test_two_encodings_in_one_file_are_told_with_their_line(self):
        data = b"a\n" + b"x\n" * 5 + "Malmö\n".encode() + b"\xff\xfe\xfd\x00\x81\n"
        with self.assertRaisesRegex(TableError, "line 8"):
            open_csv(io.BytesIO(data), encoding="utf-8")
        # A character that is cut in two by the pieces the file is read in counts from its start.
        with mock.patch.object(tables, "_PIECE", 3):
            self.assertEqual(open_csv(io.BytesIO("a\nää\n".encode())).encoding, "utf-8")
            with self.assertRaisesRegex(TableError, "line 3"):
                open_csv(io.BytesIO("a\nää\n".encode() + b"\xe9\n"), encoding="utf-8")

    def test_a_cell_that_is_too_large_is_refused_with_its_line(self):
        with mock.patch.object(tables, "MAX_CELL", 1000):
            table = open_csv(io.BytesIO(b"a,b\n1,2\n" + b"x" * 2000 + b",2\n"))
            with self.assertRaisesRegex(TableError, "line 3: a field holds more than 1,000"):
                list(table.records())
            rows = open_jsonl(io.BytesIO(b'{"a": "' + b"x" * 2000 + b'"}\n{"a": "y"}\n'))
            found = list(rows.records())
        self.assertIn("a holds 2,000 characters", found[0].reason)
        self.assertEqual(found[1].values, {"a": "y"})

    def test_json_nested_too_deeply_is_one_refused_row(self):
        deep = b'{"a": ' + b"[" * 10_000 + b"]" * 10_000 + b"}\n" + b'{"a": 1}\n'
        found = list(open_jsonl(io.BytesIO(deep)).records())
        self.assertIsInstance(found[0], Refused)
        self.assertIn("nested", found[0].reason)

    def test_formulas_without_a_value_and_merged_cells_are_told(self):
        book = openpyxl.Workbook()
        sheet = book.active
        sheet.append(["a", "b"])
        sheet.append(["one", "=1+1"])
        sheet.append(["two", 3.0])
        sheet.merge_cells("A3:A4")
        out = io.BytesIO()
        book.save(out)
        table = open_xlsx(out)
        self.assertEqual(
            [r.values for r in table.records()], [{"a": "one", "b": None}, {"a": "two", "b": 3}]
        )
        self.assertIn("1 formulas hold no value", table.notes[0])
        self.assertIn("1 merged cells", table.notes[1])

    def test_a_zip_that_unpacks_to_too_much_or_is_no_spreadsheet_is_refused(self):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("xl/worksheets/sheet1.xml", b" " * 5_000_000)
        with (
            mock.patch("nomikon.core.cases.spreadsheets.MOST_UNPACKED", 1_000_000),
            self.assertRaisesRegex(TableError, "unpacks to"),
        ):
            open_xlsx(out)
        for data in (out.getvalue(), b"PK\x03\x04nonsense", b""):
            with self.subTest(size=len(data)), self.assertRaises(TableError):
                open_xlsx(io.BytesIO(data))
