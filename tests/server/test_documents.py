"""Documents as cases: one file each, whatever it is, read again by its path."""

import io
import json

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase
from pypdf import PdfWriter

from nomikon.core.cases.documents import open_documents, plain_path
from nomikon.core.cases.tables import Refused
from nomikon.core.errors import TableError
from nomikon.server.apps.datasets.versioning import newest_version
from tests.server.base import Api, make_brief, plan_of


def pdf(text="", password=""):
    """One page with a line of text, written by hand; none where there is no text."""
    stream = f"BT /F1 12 Tf 72 720 Td ({text}) Tj ET".encode("latin-1") if text else b""
    page = b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 612 792] /Contents 4 0 R "
    parts = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        page + b"/Resources << /Font << /F1 5 0 R >> >> >>",
        b"<< /Length %d >>\nstream\n%s\nendstream" % (len(stream), stream),
        b"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
    ]
    out, places = b"%PDF-1.4\n", []
    for number, part in enumerate(parts, 1):
        places.append(len(out))
        out += b"%d 0 obj\n%s\nendobj\n" % (number, part)
    begin = len(out)
    rows = b"".join(b"%010d 00000 n \n" % p for p in places)
    out += b"xref\n0 6\n0000000000 65535 f \n" + rows
    out += b"trailer << /Size 6 /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF" % begin
    if password:
        writer = PdfWriter(clone_from=io.BytesIO(out))
        writer.encrypt(password)
        locked = io.BytesIO()
        writer.write(locked)
        return locked.getvalue()
    return out


def sheet():
    book = openpyxl.Workbook()
    book.active.append(["ship", "berths"])
    book.active.append(["Harrier", 12])
    held = io.BytesIO()
    book.save(held)
    return held.getvalue()


def packed(files):
    head = json.dumps([[path, len(data)] for path, data in files])
    return head.encode() + b"\n" + b"".join(data for _, data in files)


FILES = [
    ("notes/one.txt", "Grüße\r\nzwei".encode()),
    ("notes/two.md", b"\xef\xbb\xbf# Head\n\ntext"),
    ("old.txt", "Fähre nach Süden".encode("cp1252")),
    ("letter.pdf", pdf("Hello ferry")),
    ("berths.xlsx", sheet()),
]
BAD = [
    ("scan.pdf", pdf(), "perhaps it was scanned"),
    ("locked.pdf", pdf("secret", "pw"), "needs a password"),
    ("cut.pdf", pdf("Hello")[:300], "cannot be read"),
    ("none.pdf", b"%PDF-1.7 nonsense", "cannot be read"),
    ("photo.png", b"\x89PNG\r\n\x1a\n\x00\x00", "this is no text"),
    ("empty.txt", b"", "the file is empty"),
    ("blank.md", b" \n ", "holds no text"),
]


class TextTest(TransactionTestCase):
    def test_every_kind_of_file_gives_its_text_or_says_why_not(self):
        data = packed([*FILES, *((path, data) for path, data, _ in BAD)])
        records = list(open_documents(io.BytesIO(data)).records())
        texts = [r.values["text"] for r in records if not isinstance(r, Refused)]
        self.assertEqual(
            texts,
            ["Grüße\nzwei", "# Head\n\ntext", "Fähre nach Süden", "Hello ferry",
             "ship\tberths\nHarrier\t12"],
        )  # fmt: skip
        refused = [(r.cells[0], r.reason) for r in records if isinstance(r, Refused)]
        self.assertEqual([path for path, _ in refused], [path for path, _, _ in BAD])
        for (_, why), (_, _, wanted) in zip(refused, BAD, strict=True):
            self.assertIn(wanted, why)

    def test_a_path_is_a_name_and_never_leads_anywhere(self):
        for path, kept in (
            ("../../etc/passwd", "etc/passwd"), ("/a//./b.txt", "a/b.txt"),
            ("c:\\x\\y.md", "c:/x/y.md"), ("..", "unnamed"), ("今日 🚢.md", "今日 🚢.md"),
        ):  # fmt: skip
            self.assertEqual(plain_path(path), kept)

    def test_a_list_that_does_not_fit_is_refused(self):
        for data in (b"", b"[]\n", b'[["a", 5]]\nabc', b'[["a", -1]]\n', b'{"a": 1}\n', b"\xff\n"):
            with self.assertRaises(TableError):
                open_documents(io.BytesIO(data))


class FolderTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(0)
        self.dataset = self.brief.datasets.first()
        self.api = Api()

    def send(self, what, files, **fields):
        got = self.api.upload(
            f"datasets/{self.dataset.pk}/{what}/",
            file=SimpleUploadedFile("notes.documents", packed(files)),
            mapping="{}", **fields,
        )  # fmt: skip
        return self.api.lines(got)[-1]

    def test_a_folder_comes_in_and_is_read_again_by_its_paths(self):
        seen = self.send("preview", FILES)["done"]
        self.assertEqual([c["name"] for c in seen["columns"]], ["path", "name", "text"])
        self.assertEqual(self.send("import", FILES)["done"]["added"], 5)
        version = newest_version(self.dataset)
        self.assertEqual(version.note[:40], "5 cases from notes")
        changed = [(p, d.replace(b"zwei", b"drei")) for p, d in FILES[:4]] + [("new.txt", b"new")]
        by = json.dumps(["path"])
        look = self.send("compare", changed, by=by)["done"]
        self.assertEqual([look[k] for k in ("new", "changed", "equal", "gone")], [1, 1, 3, 1])
        self.assertEqual(look["changes"][0]["cells"][0]["column"], "text")

    def test_a_text_that_no_model_can_hold_is_told_before(self):
        self.send("import", [("long.txt", b"word " * 30_000)], split="working")
        plan = plan_of(self.brief, versions=[1])
        told = [p.text for p in plan.estimate.problems if p.severity == "error"]
        self.assertTrue(told)
