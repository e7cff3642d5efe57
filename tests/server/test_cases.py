"""Cases on the server: changing one, the set's quality, XLSX in, three formats out."""

import io
import json

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from nomikon.core.cases import read_csv, read_xlsx, write_xlsx
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.datasets.models import CaseRevision, Entry
from tests.server.base import Api, make_brief, start, who


class CasesTest(TestCase):
    def setUp(self):
        self.brief = make_brief(6)
        self.dataset = self.brief.datasets.get()
        self.api = Api()
        self.url = f"datasets/{self.dataset.pk}"

    def cases(self):
        return self.api.get(f"{self.url}/cases/").json()["cases"]

    def edit(self, *edits, status=200, **more):
        got = self.api.post(f"{self.url}/edit/", {"edits": list(edits), **more})
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def test_a_changed_case_is_a_new_revision_and_a_trial_keeps_the_old_one(self):
        trial = start(self.brief)
        first = self.cases()[0]
        body = {
            "revision": first["revision"],
            "values": {"sea": "lake"},
            "reference": "no",
            "tags": ["odd", " "],
        }
        made = self.edit(body)
        row = made["rows"][0]["case"]
        self.assertEqual((row["number"], row["inputs"], row["tags"]), (1, {"sea": "lake"}, ["odd"]))
        self.assertEqual((made["version"], made["open"]), (2, True))
        self.assertEqual(self.cases()[0]["reference"], "no")
        self.assertEqual(CaseRevision.objects.get(pk=first["revision"]).reference, "yes")
        kept = Entry.objects.filter(dataset_version=trial.dataset_version)
        self.assertTrue(kept.filter(revision=first["revision"]).exists())
        # The revision that is shown elsewhere is not the newest any more: nothing is overwritten.
        self.assertEqual(self.edit(body, status=409)["title"], "cases_changed")
        empty = {"revision": row["revision"], "values": {"sea": ""}}
        self.assertEqual(self.edit(empty, status=422)["field"], "edits.0.inputs")
        # Until the next trial, changes go into the version there is.
        again = self.edit({"revision": row["revision"], "values": {"sea": "pond"}})
        self.assertEqual((again["version"], again["changed"]), (2, made["changed"] + 1))

    def test_many_at_once_and_all_of_it_back(self):
        before = self.cases()
        a, b = before[:2]
        done = self.edit(
            {"revision": a["revision"], "values": {"sea": "lake"}, "split": "held-out"},
            {"revision": b["revision"], "out": True},
            {"values": {"sea": "brook", "depth": "3"}, "reference": "yes"},
        )
        now = self.cases()
        self.assertEqual(
            [(x["number"], x["inputs"]["sea"]) for x in now],
            [(1, "lake"), (3, "sea 2"), (4, "sea 3"), (5, "sea 4"), (6, "sea 5"), (7, "brook")],
        )
        self.assertEqual((now[0]["split"], done["columns"]), ("held-out", ["sea", "depth"]))
        undo = []
        for row in done["rows"]:
            edit = {}
            if row["case"]:
                edit["revision"] = row["case"]["revision"]
            if row["before"]:
                edit |= {
                    "put_back": row["before"]["revision"],
                    "split": row["before"]["split"],
                    "position": row["before"]["position"],
                }
            else:
                edit["out"] = True
            undo.append(edit)
        self.edit(*undo)
        self.assertEqual(self.cases(), before)

    def test_a_column_of_numbers_takes_numbers_and_nothing_is_changed_otherwise(self):
        first = self.cases()[0]
        self.edit(columns=["depth"], kinds={"depth": "number"})
        bad = {"revision": first["revision"], "values": {"depth": "deep"}, "reference": "x"}
        told = self.edit(bad, status=422)
        self.assertEqual(told["field"], "edits.0.depth")
        self.assertIn("is a number", told["detail"])
        self.assertEqual(self.cases()[0], first)
        self.edit({**bad, "values": {"depth": "3.50"}})
        self.assertEqual(self.cases()[0]["inputs"]["depth"], "3.50")
        self.edit(kinds={"depth": "colour"}, status=422)
        self.edit(columns=["a}}"], status=422)
        self.edit({"values": {"b{{": "x"}}, status=422)

    def test_one_case_twice_in_a_request_is_refused_and_nothing_is_changed(self):
        before = self.cases()
        first = {"revision": before[0]["revision"]}
        for again in ({**first, "values": {"sea": "lake"}}, {**first, "out": True}):
            with self.subTest(again=again):
                self.edit({**first, "out": True}, again, status=422)
        self.assertEqual(self.cases(), before)

    def test_the_kind_of_a_column_makes_no_further_version(self):
        trial = start(self.brief)
        made = self.edit(kinds={"sea": "label"})
        self.assertEqual(
            (made["version"], made["open"], made["kinds"]), (1, False, {"sea": "label"})
        )
        self.assertEqual(trial.dataset_version.entries.count(), 6)
        self.assertEqual(self.edit(columns=["depth"])["version"], 2)

    def test_sorted_and_narrowed_by_a_column(self):
        for case, depth in zip(self.cases(), ["10", "9", "", "-2", "deep", "9"], strict=True):
            self.edit({"revision": case["revision"], "values": {"depth": depth}})

        def numbers(**query):
            found = self.api.client.get(f"/api/{self.url}/cases/", query).json()
            return [c["number"] for c in found["cases"]]

        self.assertEqual(numbers(sort="depth"), [4, 2, 6, 1, 5, 3])
        self.assertEqual(numbers(sort="depth", down="true"), [5, 1, 2, 6, 4, 3])
        where = [{"column": "depth", "test": "is", "value": "9"}]
        self.assertEqual(numbers(where=json.dumps(where), split="working"), [2])
        self.assertEqual(numbers(where='[{"column": "depth", "test": "empty"}]'), [3])
        self.assertEqual(numbers(q="DEEP"), [5])
        for wrong in ("{", '[{"column": "depth", "test": "like"}]', "[1]"):
            got = self.api.client.get(f"/api/{self.url}/cases/", {"where": wrong})
            self.assertEqual(got.status_code, 422)

    def test_a_copy_on_the_other_side_is_a_leak(self):
        rows = b"sea,reference,split\nThe wide grey sea of the north,yes,working\nthe wide grey sea of the North,yes,held-out\n"
        uses = {"reference": {"as": "reference"}, "split": {"as": "split"}}
        ImportCases(self.dataset, read_csv(rows), uses, "working", **who()).execute()
        found = self.api.get(f"{self.url}/quality/").json()
        self.assertEqual(
            (found["n_leaks"], found["leaks"][0]["a"], found["leaks"][0]["b"]), (1, 7, 8)
        )
        self.assertEqual(found["labels"], {"yes": 8})
        self.assertGreater(found["smallest_difference"], 0)

    def test_cases_are_held_out_at_random_and_a_trial_keeps_its_own(self):
        trial = start(self.brief)
        before = {e.revision_id: e.split for e in trial.dataset_version.entries.all()}
        made = self.api.post(f"{self.url}/split/", {"share": 0.5, "seed": 3}).json()
        # "sea 0" to "sea 5" are no copies of each other: three of six.
        self.assertEqual((made["held_out"], made["of"]), (3, 6))
        self.assertEqual(sum(c["split"] == "held-out" for c in self.cases()), 3)
        self.assertEqual(
            {e.revision_id: e.split for e in trial.dataset_version.entries.all()}, before
        )
        self.assertEqual(self.api.post(f"{self.url}/split/", {"share": 2}).status_code, 422)

    def test_out_and_in_again_in_three_formats_and_no_cell_is_a_formula(self):
        formula = {"sea": '=HYPERLINK("x")'}
        self.edit({"revision": self.cases()[0]["revision"], "values": formula})
        book = self.api.client.get(f"/api/{self.url}/export.xlsx").content
        cell = openpyxl.load_workbook(io.BytesIO(book)).worksheets[0]["B2"]
        self.assertEqual((cell.data_type, cell.value), ("s", '=HYPERLINK("x")'))
        lines = self.api.client.get(f"/api/{self.url}/export.jsonl").content.decode().splitlines()
        self.assertEqual(json.loads(lines[0])["sea"], '=HYPERLINK("x")')
        table = self.api.client.get(f"/api/{self.url}/export.csv").content.decode()
        self.assertIn("'=HYPERLINK", table)
        upload = SimpleUploadedFile("cases.xlsx", book)
        seen = self.api.lines(self.api.upload(f"{self.url}/preview/", file=upload))[-1]["done"]
        self.assertEqual(
            (seen["rows"], [c["name"] for c in seen["columns"]][:2]), (6, ["id", "sea"])
        )

    def test_what_a_spreadsheet_cannot_hold_is_replaced_and_read_back(self):
        data = write_xlsx(["a"], [{"a": "bell\x07 end"}, {"a": "x" * 40_000}, {"a": 3}])
        rows = read_xlsx(data).rows
        self.assertEqual((rows[0]["a"], len(rows[1]["a"])), ("bell\ufffd end", 32_767))
