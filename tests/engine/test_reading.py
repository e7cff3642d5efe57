"""Files in bounds: read by a process that is ended when it must be, refused in words of ours."""

import os
import re
import tempfile
import threading
import time
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from nomikon.core.cases import Refused, read_xlsx
from nomikon.core.errors import LineageFileError, PromptFileError, TableError
from nomikon.engine.reading import TableReader, VersionsReader

SHEET = '<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>'
HEADER = '<row r="1"><c r="A1" t="inlineStr"><is><t>harbour</t></is></c></row>'
END = "</sheetData></worksheet>"
TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml"
OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE = "http://schemas.openxmlformats.org/package/2006"


class ReadingTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def file(self, name, data):
        path = self.folder / name
        path.write_bytes(data)
        return path

    def sheet(self, *pieces):
        """A spreadsheet of one sheet, whatever its XML is."""
        path = self.folder / "s.xlsx"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr(
                "[Content_Types].xml",
                f'<Types xmlns="{PACKAGE}/content-types">'
                f'<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
                f'<Override PartName="/xl/workbook.xml" ContentType="{TYPE}.sheet.main+xml"/>'
                f'<Override PartName="/xl/worksheets/sheet1.xml" ContentType="{TYPE}.worksheet+xml"/></Types>',
            )
            packed.writestr(
                "_rels/.rels",
                f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="rId1" '
                f'Type="{OFFICE}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
            )
            packed.writestr(
                "xl/workbook.xml",
                '<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" '
                f'xmlns:r="{OFFICE}"><sheets><sheet name="a" sheetId="1" r:id="rId1"/></sheets></workbook>',
            )
            packed.writestr(
                "xl/_rels/workbook.xml.rels",
                f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="rId1" '
                f'Type="{OFFICE}/worksheet" Target="worksheets/sheet1.xml"/></Relationships>',
            )
            with packed.open("xl/worksheets/sheet1.xml", "w", force_zip64=True) as out:
                for piece in pieces:
                    out.write(piece.encode())
        return path

    def read(self, path, **more):
        sort = {".xlsx": "xlsx", ".jsonl": "jsonl"}.get(path.suffix, "csv")
        with TableReader(path, sort, **more) as table:
            return table.columns, list(table.records())

    def refused(self, path, words, **more):
        with self.assertRaises(TableError) as caught:
            self.read(path, **more)
        self.assertIn(words, caught.exception.message)
        # What went wrong is told in our words: no place of this machine, no library's.
        self.assertNotRegex(
            caught.exception.message, re.escape(str(self.folder)) + "|Errno|[Ee]rror"
        )

    def test_rows_come_in_order_with_their_lines(self):
        rows = "".join(f"quay {n}\n" for n in range(2_500))
        columns, found = self.read(self.file("a.csv", f"harbour\n{rows}".encode()))
        self.assertEqual(columns, ["harbour"])
        self.assertEqual([r.line for r in found], list(range(2, 2_502)))
        self.assertEqual(found[-1].values, {"harbour": "quay 2499"})

    def test_sheets_that_mean_harm_are_refused_or_read(self):
        blanks = self.sheet(
            SHEET, HEADER, '<row r="2"><c r="A2"><f></f>', " " * 1_000_000, "</c></row>", END
        )
        self.assertEqual(self.read(blanks, silent_s=20), (["harbour"], []))
        for pieces, words in [
            ((SHEET, HEADER, "<row>" * 200_000), "breaks off"),
            ((SHEET, HEADER, "<f " * 300_000), "breaks off"),
            (
                (SHEET, HEADER, '<row r="1000000000"><c r="A1000000000"><v>1</v></c></row>', END),
                "numbered beyond",
            ),
            ((SHEET, HEADER, '<row r="2"><c r="ZZZZZZ2"><v>1</v></c></row>', END), "damaged"),
        ]:
            with self.subTest(words, pieces=pieces[2][:20]):
                self.refused(self.sheet(*pieces), words)

    def test_a_far_column_on_every_row_counts_as_cells(self):
        rows = [f'<row r="{n}"><c r="XFD{n}"><v>1</v></c></row>' for n in range(2, 10)]
        with (
            mock.patch("nomikon.core.cases.tables.MOST_CELLS", 50_000),
            self.assertRaisesRegex(TableError, "more than 50,000 cells"),
        ):
            read_xlsx(self.sheet(SHEET, HEADER, *rows, END).read_bytes())

    def test_json_lines_that_cannot_be_kept_are_refused_one_by_one(self):
        lines = [
            b'{"harbour": 1e999}',
            b'{"harbour": ' + b"9" * 5_000 + b"}",
            b'{"harbour": "\\ud83d"}',
            b'{"harbour": "a\\u0000b"}',
            b'{"harbour":' * 400 + b"1" + b"}" * 400,
            b'{"harbour": Infinity}',
            b'{"harbour": 18446744073709551616}',
            b'{"harbour": "fine \\ud83d\\ude00"}',
        ]
        _, found = self.read(self.file("b.jsonl", b"\n".join(lines)))
        self.assertEqual([isinstance(r, Refused) for r in found], [True] * 7 + [False])
        self.assertEqual(found[-1].values, {"harbour": "fine \U0001f600"})

    def test_columns_and_encodings_without_end(self):
        wide = ",".join(f"c{n}" for n in range(20_000)).encode()
        self.refused(self.file("c.csv", wide), "20,000 columns")
        new = b"".join(b'{"c%d": 1}\n' % n for n in range(3_000))
        self.refused(self.file("d.jsonl", new), "2,000 columns")
        self.refused(self.file("e.csv", "kai\nß\n".encode("utf-32")), "NUL")
        self.refused(self.file("f.csv", b'kai\n"a"b\n'), "written twice")

    def test_line_ends_of_old_machines_part_rows(self):
        _, found = self.read(self.file("g.csv", b"harbour,depth\rKai,3\rMole,4\r"))
        self.assertEqual([r.values["depth"] for r in found], ["3", "4"])

    def test_what_stands_still_is_ended_and_a_reader_that_leaves_ends_it_at_once(self):
        # A pipe nobody writes to: it opens and gives nothing, as a file on a disk that is away.
        pipe = self.folder / "away.csv"
        os.mkfifo(pipe)
        self.refused(pipe, "stood still", silent_s=2)
        reader = TableReader(pipe, "csv")
        left = threading.Timer(1.5, reader.close)
        left.start()
        began = time.monotonic()
        with self.assertRaisesRegex(TableError, "was stopped"):
            reader.open()
        self.assertLess(time.monotonic() - began, 10)

    def test_too_much_processor_time_is_told(self):
        rows = b"harbour\n" + b"x\n" * 3_000_000
        self.refused(self.file("h.csv", rows), "took longer", cpu_s=1)


class VersionsTest(unittest.TestCase):
    """Prompt files are read beside the page as tables are."""

    HEAD = b"---\nnomikon: prompt/1\nname: Berths\n---\n"

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "given"

    def read(self, data, **limits):
        self.path.write_bytes(data)
        return VersionsReader(self.path, **limits).read()

    def test_a_prompt_file_comes_back_and_a_broken_one_says_its_line(self):
        (entry,) = self.read(self.HEAD + b"::: user\nWhich berth?\n:::\n")
        self.assertEqual(entry.prompt.messages[0].content, "Which berth?")
        with self.assertRaisesRegex(PromptFileError, "not closed") as caught:
            self.read(self.HEAD + b"::: user\nWhich berth?\n")
        self.assertEqual(caught.exception.facts["line"], 5)
        with self.assertRaisesRegex(LineageFileError, "no zip file"):
            self.read(b"PK\x03\x04 and nothing of a zip")

    def test_blanks_without_end_after_a_role_take_no_time(self):
        with self.assertRaisesRegex(PromptFileError, "unknown role"):
            self.read(self.HEAD + b"::: user" + b" " * 3_000_000 + b"x\n:::\n", cpu_s=10)

    def test_what_takes_too_long_is_ended_and_said(self):
        body = self.HEAD + b"::: user\nx\n:::\n" * 1_500_000
        with self.assertRaisesRegex(TableError, "longer than a file may"):
            self.read(body, cpu_s=1)
