"""A dataset tied to a file or folder of the machine, read again by one press; nothing else is reached."""

import json
import tempfile
from pathlib import Path

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase, override_settings

from nomikon.server.apps.datasets.versioning import newest_version
from tests.server.base import Api, make_brief

USES = {"code": {"as": "input", "name": "code"}, "sea": {"as": "input", "name": "sea"}}


class TiedTest(TransactionTestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.root = Path(folder.name) / "files"
        (self.root / "logs").mkdir(parents=True)
        (Path(folder.name) / "secret.csv").write_text("sea\nnobody's\n")
        settings = override_settings(FILES_DIR=str(self.root))
        settings.enable()
        self.addCleanup(settings.disable)
        self.dataset = make_brief(0).datasets.first()
        self.api = Api()

    def send(self, what, path, **more):
        fields = {k: v if isinstance(v, str) else json.dumps(v) for k, v in more.items()}
        got = self.api.upload(f"datasets/{self.dataset.pk}/{what}/", path=path, **fields)
        return self.api.lines(got)[-1] if got.status_code == 200 else got.json()

    def tie(self, path, **more):
        how = {"path": path, "mapping": USES, "by": ["code"], "gone": "keep", "split": "working",
               "encoding": "", "delimiter": "", **more}  # fmt: skip
        return self.api.put(f"datasets/{self.dataset.pk}/tied/", {"how": how})

    def tied(self):
        return self.api.get(f"datasets/{self.dataset.pk}/tied/").json()

    def test_a_sheet_somebody_keeps_is_read_again_with_what_changed(self):
        file = self.root / "logs" / "Größen & 🚢.csv"
        file.write_text("code;sea\n1;Nord\n2;Süd\n", encoding="latin-1")
        told = self.api.get("files/").json()
        path = "logs/Größen & 🚢.csv"
        self.assertEqual([f["path"] for f in told["files"]], ["logs", path])
        seen = self.send("preview", path)["done"]
        self.assertEqual((seen["rows"], seen["columns"][1]["examples"]), (2, ["Nord", "Süd"]))
        self.assertEqual(self.tie(path).status_code, 200)
        self.assertEqual(self.send("import", path, mapping=USES)["done"]["added"], 2)
        self.assertEqual((self.tied()["changed"], self.tied()["missing"]), (False, False))
        file.write_text("code;sea\n1;Nordsee\n2;Süd\n3;Ost\n", encoding="latin-1")
        self.assertTrue(self.tied()["changed"])
        how = self.tied()["how"]
        seen = self.send("compare", how["path"], mapping=how["mapping"], by=how["by"])["done"]
        self.assertEqual((seen["new"], seen["changed"], seen["equal"]), (1, 1, 1))
        file.unlink()
        self.assertTrue(self.tied()["missing"])
        told = self.send("compare", path, mapping=USES, by=["code"])
        self.assertIn("in the folder of files any more", json.dumps(told))
        self.api.put(f"datasets/{self.dataset.pk}/tied/", {"how": None})
        self.assertIsNone(self.tied()["how"])

    def test_a_folder_of_documents_is_packed_as_the_page_would(self):
        for name, text in {"a.txt": "one", "b.md": "# two", ".hidden.txt": "no"}.items():
            (self.root / "logs" / name).write_text(text)
        uses = {"path": {"as": "input"}, "text": {"as": "input"}}
        self.assertEqual(self.tie("logs", by=["path"], mapping=uses).status_code, 200)
        done = self.send("import", "logs", mapping=uses)["done"]
        self.assertEqual(done["added"], 2)
        (self.root / "logs" / "b.md").write_text("# three")
        self.assertTrue(self.tied()["changed"])
        seen = self.send("compare", "logs", mapping=uses, by=["path"])["done"]
        self.assertEqual((seen["changed"], seen["equal"], seen["new"]), (1, 1, 0))
        entries = newest_version(self.dataset).entries.select_related("revision")
        self.assertEqual(entries.first().revision.inputs["path"], "logs/a.txt")

    def test_nothing_outside_of_the_folder_is_reached(self):
        outside = str(self.root.parent / "secret.csv")
        for path in ("../secret.csv", "logs/../../secret.csv", outside, "", "logs/\0", "nothing"):
            with self.subTest(path=path):
                self.assertNotIn("nobody", json.dumps(self.send("preview", path)))
                self.assertEqual(
                    self.tie(path).status_code, 400 if not path or "\0" in path else 422
                )
        (self.root / "empty").mkdir()
        self.assertIn("holds no file", json.dumps(self.send("preview", "empty")))

    def test_hard_lines_are_told_for_a_file_sent_or_of_this_machine(self):
        (self.root / "a.csv").write_text("sea;n\nNørresø;1\n", encoding="cp1252")
        asked = f"datasets/{self.dataset.pk}/hard-lines/"
        here = self.api.upload(asked, path="a.csv").json()
        file = SimpleUploadedFile("a.csv", (self.root / "a.csv").read_bytes())
        self.assertEqual(self.api.upload(asked, file=file).json(), here)
        read = {e["encoding"]: e for e in here["encodings"]}
        self.assertEqual(read["cp1252"]["lines"], ["Nørresø;1"])
        self.assertEqual((read["utf-8"]["fits"], here["delimiters"][0]["mark"]), (False, ";"))
        for more, told in (({}, "choose a file"), ({"path": "logs"}, "holds no file")):
            got = self.api.upload(asked, **more)
            self.assertEqual(got.status_code, 422)
            self.assertIn(told, got.json()["detail"])
