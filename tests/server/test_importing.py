"""Importing cases: looked at first, taken in by batches, stopped or refused without a trace."""

import json
from datetime import timedelta

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase
from django.utils import timezone

from nomikon.core.cases import read_csv
from nomikon.server.apps.datasets.actions.import_cases import BATCH, ImportCases, ImportStoppedError
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import Case, CaseImport, CaseRevision
from nomikon.server.apps.datasets.reads import TablePreview
from nomikon.server.rows import insert_rows
from nomikon.server.typed import check
from tests.server.base import Api, make_brief, who


class ImportTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(0)
        self.dataset = self.brief.datasets.first()
        self.api = Api()
        self.base = f"datasets/{self.dataset.pk}"

    def send(self, what, content, name="c.csv", **fields):
        file = SimpleUploadedFile(name, content)
        return self.api.upload(f"{self.base}/{what}/", file=file, **fields)

    def take(self, content, name="c.csv", **fields):
        """The last line of an import's answer: how it ended."""
        got = self.send("import", content, name, **fields)
        if got.status_code != 200:
            return got.json()
        return self.api.lines(got)[-1]

    def test_preview_guesses_and_stores_nothing(self):
        sent = self.send("preview", b"sea;reference;split\nNorth;yes;working\n")
        got = self.api.lines(sent)[-1]["done"]
        check(got, TablePreview)
        self.assertEqual([c["use"] for c in got["columns"]], ["input", "reference", "split"])
        self.assertEqual((got["rows"], got["unfilled"], got["delimiter"]), (1, [], ";"))
        self.assertEqual(self.dataset.cases.count(), 0)

    def test_import_maps_columns_and_keeps_the_good_rows(self):
        mapping = {
            "text": {"as": "input", "name": "sea"},
            "answer": {"as": "reference"},
            "part": {"as": "split"},
            "kind": {"as": "tags"},
            "junk": {"as": "leave-out"},
        }
        csv = (
            "text,answer,part,kind,junk\nNorth,yes,held out,a;b,1\nragged\n,,,,\n"
            "South,no,,,2\nWest,no,elsewhere,,3\n"
        )
        got = self.take(csv.encode(), mapping=json.dumps(mapping))["done"]
        self.assertEqual(got["added"], 2)
        self.assertEqual(
            [(r["line"], r["reason"].split(" ")[0]) for r in got["refused"]],
            [(3, "1"), (4, "every"), (6, "split")],
        )
        cases = self.api.get(f"{self.base}/cases/").json()["cases"]
        self.assertEqual(cases[0]["inputs"], {"sea": "North"})
        self.assertEqual((cases[0]["split"], cases[0]["tags"]), ("held-out", ["a", "b"]))
        self.assertEqual((cases[1]["split"], cases[1]["reference"]), ("working", "no"))

    def test_each_import_is_a_version_and_columns_stand_once(self):
        for text in ("sea\nNorth\n", "sea\nSouth\n"):
            self.take(text.encode())
        found = self.api.get(f"briefs/{self.brief.pk}/").json()["datasets"][0]
        self.assertEqual((found["version"], found["working"], found["columns"]), (2, 2, ["sea"]))
        self.assertEqual(self.dataset.versions.get(number=1).entries.count(), 1)

    def test_refusals_keep_everything_as_it_was(self):
        for content, fields, field in [
            (b"", {}, "file"),
            (b"\xff\x00", {}, None),
            (b"sea\nNorth\n", {"mapping": "{"}, "mapping"),
            (b"sea\nNorth\n", {"mapping": '{"x": {"as": "input"}}'}, "mapping.x"),
            (b"sea\nNorth\n", {"mapping": '{"sea": {"as": "reference"}}'}, "mapping"),
            (b"sea\nNorth\n", {"mapping": '{"sea": {"as": "nonsense"}}'}, "mapping.sea"),
            (b"sea\nNorth\n", {"split": "x"}, "split"),
            (b"sea\nNorth\n", {"encoding": "nope"}, "encoding"),
            ("sea\nMalmö\n".encode("cp1252"), {"encoding": "utf-8"}, "encoding"),
        ]:
            with self.subTest(content=content, fields=fields):
                got = self.take(content, **fields)
                told = got.get("refused", got)
                self.assertTrue(told["detail"])
                if field:
                    self.assertEqual(told["field"], field)
        self.assertEqual(self.dataset.cases.count(), 0)

    def test_json_lines_search_split_and_export(self):
        lines = b'{"sea": "North", "reference": {"wet": true}}\n{"sea": "=cmd()", "n": 3}\n'
        self.take(lines, "c.jsonl", mapping='{"reference": {"as": "reference"}}')
        found = self.api.get(f"{self.base}/cases/?q=nor").json()
        self.assertEqual((found["total"], found["cases"][0]["reference"]), (1, '{"wet": true}'))
        revision = found["cases"][0]["revision"]
        edits = {"edits": [{"revision": revision, "split": "held-out"}]}
        moved = self.api.post(f"{self.base}/edit/", edits)
        self.assertEqual(moved.status_code, 200)
        self.assertEqual(self.api.get(f"{self.base}/cases/?split=held-out").json()["total"], 1)
        text = self.api.get(f"{self.base}/export.csv").content.decode()
        self.assertIn("'=cmd()", text)

    def test_the_page_is_told_after_every_batch(self):
        rows = "sea\n" + "".join(f"sea {i}\n" for i in range(2 * BATCH + 10))
        told = self.api.lines(self.send("import", rows.encode()))
        self.assertEqual([t.get("read") for t in told[:3]], [BATCH, 2 * BATCH, 2 * BATCH + 10])
        self.assertEqual(told[-1]["done"]["added"], 2 * BATCH + 10)

    def test_refused_lines_are_put_right_and_come_in_with_the_rest_or_after_it(self):
        text = b"sea,reference,split\nNorth,yes,working\nSouth,no\nEast,yes,nowhere,extra\nWest,yes,aside\n"
        mapping = {
            "sea": {"as": "input"},
            "reference": {"as": "reference"},
            "split": {"as": "split"},
        }
        seen = self.api.lines(self.send("preview", text))[-1]["done"]["refused"]
        self.assertEqual([(r["line"], r["cells"]) for r in seen],
                         [(3, ["South", "no"]), (4, ["East", "yes", "nowhere", "extra"])])  # fmt: skip
        mended = [{"line": 3, "values": {"sea": "South", "reference": "no", "split": "held out"}}]
        more = {"mapping": json.dumps(mapping), "mended": json.dumps(mended)}
        done = self.take(text, **more)["done"]
        self.assertEqual((done["added"], done["n_refused"]), (2, 2))
        # What only shows when a row becomes a case can be put right, too: it comes in alone.
        self.assertEqual([r["cells"] for r in done["refused"]][1], ["West", "yes", "aside"])
        mended = [{"line": 5, "values": {"sea": "West", "reference": "yes", "split": "working"}}]
        more = {"mapping": json.dumps(mapping), "mended": json.dumps(mended), "only_mended": "true"}
        done = self.take(text, **more)["done"]
        self.assertEqual((done["added"], done["n_refused"]), (1, 0))
        seas = set(CaseRevision.objects.values_list("inputs__sea", flat=True))
        self.assertEqual(seas, {"North", "South", "West"})
        for wrong in (
            "x",
            "[1]",
            '[{"line": 3, "values": {"sky": "x"}}]',
            '[{"line": 3, "values": {"sea": 1}}]',
        ):
            with self.subTest(wrong):
                got = self.take(text, mapping=json.dumps(mapping), mended=wrong)
                self.assertEqual(got["field"], "mended")

    def test_stopped_half_way_nothing_is_kept(self):
        table = read_csv(("sea\n" + "x\n" * (3 * BATCH)).encode())
        seen = []
        action = ImportCases(self.dataset, table, {}, "working", **who())
        action.told = lambda read, refused: seen.append(Case.objects.count())
        action.stopped = lambda: len(seen) == 2
        with self.assertRaises(ImportStoppedError):
            action.execute()
        self.assertEqual(seen, [BATCH, 2 * BATCH])
        self.assertEqual((Case.objects.count(), CaseImport.objects.count()), (0, 0))

    def test_a_quote_left_open_far_down_keeps_nothing_and_tells_the_line(self):
        rows = "sea\n" + "x\n" * (BATCH + 5) + '"open\n'
        told = self.take(rows.encode())["refused"]
        self.assertIn(f"line {BATCH + 7}: a quoted field is not closed", told["detail"])
        self.assertEqual(Case.objects.count(), 0)

    def test_what_a_killed_import_left_is_cleared_by_the_next(self):
        """As after a kill: cases stored that nothing lists, and a claim nobody renews."""
        self.take(b"sea\nNorth\n")
        CaseImport.objects.create(
            dataset=self.dataset,
            mark=Case.objects.latest("pk").pk,
            beat_at=timezone.now(),
        )
        (left,) = insert_rows(Case, [{"dataset_id": self.dataset.pk, "number": 2, "own_id": ""}])
        CaseRevision.objects.create(case_id=left, inputs={}, created_at=timezone.now())
        with self.assertRaisesRegex(DatasetError, "under way"):
            ImportCases(self.dataset, read_csv(b"sea\nx\n"), {}, "working", **who()).execute()
        CaseImport.objects.update(beat_at=timezone.now() - timedelta(minutes=5))
        self.take(b"sea\nSouth\n")
        self.assertEqual(
            list(Case.objects.values_list("number", "revisions__inputs__sea")),
            [(1, "North"), (2, "South")],
        )

    def test_a_conversation_is_a_list_of_turns_and_anything_else_is_refused_by_line(self):
        rows = (
            b'{"conversation": ["Hello", "Bye"], "tone": "dry"}\n{"conversation": []}\n'
            b'{"conversation": {"user": "A tired walker", "most": 3}}\n'
        )
        mapping = json.dumps({"conversation": {"as": "conversation"}})
        done = self.take(rows, "c.jsonl", mapping=mapping)["done"]
        self.assertEqual((done["added"], [r["line"] for r in done["refused"]]), (2, [2]))
        first = self.api.get(f"{self.base}/cases/").json()["cases"][0]
        self.assertEqual(
            (first["conversation"], first["inputs"]), (["Hello", "Bye"], {"tone": "dry"})
        )
