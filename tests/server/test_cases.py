"""Cases on the server: changing one, the set's quality, XLSX in, three formats out."""

import io
import json

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from nomikon.core.cases import read_csv, read_xlsx, write_xlsx
from nomikon.server.datasets.actions.import_cases import ImportCases
from nomikon.server.datasets.models import CaseRevision, Entry
from tests.server.base import Api, make_brief, start, who


class CasesTest(TestCase):
    def setUp(self):
        self.brief = make_brief(6)
        self.dataset = self.brief.datasets.get()
        self.api = Api()
        self.url = f"datasets/{self.dataset.pk}"

    def cases(self):
        return self.api.get(f"{self.url}/cases/").json()["cases"]

    def test_a_changed_case_is_a_new_revision_and_a_trial_keeps_the_old_one(self):
        trial = start(self.brief)
        first = self.cases()[0]
        body = {
            "revision": first["revision"],
            "inputs": {"sea": "lake"},
            "reference": "no",
            "tags": ["odd", " "],
        }
        made = self.api.post(f"{self.url}/edit/", body).json()
        self.assertEqual(
            (made["number"], made["inputs"], made["tags"]), (1, {"sea": "lake"}, ["odd"])
        )
        self.assertEqual(self.cases()[0]["reference"], "no")
        self.assertEqual(CaseRevision.objects.get(pk=first["revision"]).reference, "yes")
        kept = Entry.objects.filter(dataset_version=trial.dataset_version)
        self.assertTrue(kept.filter(revision=first["revision"]).exists())
        # The revision that is shown elsewhere is not the newest any more: nothing is overwritten.
        again = self.api.post(f"{self.url}/edit/", body)
        self.assertEqual(again.status_code, 422)
        self.assertIn("changed meanwhile", again.json()["detail"])
        empty = {"revision": made["revision"], "inputs": {"sea": ""}}
        self.assertEqual(self.api.post(f"{self.url}/edit/", empty).status_code, 422)

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
        body = {"revision": self.cases()[0]["revision"], "inputs": {"sea": '=HYPERLINK("x")'}}
        self.api.post(f"{self.url}/edit/", body)
        book = self.api.client.get(f"/api/{self.url}/export.xlsx").content
        cell = openpyxl.load_workbook(io.BytesIO(book)).worksheets[0]["B2"]
        self.assertEqual((cell.data_type, cell.value), ("s", '=HYPERLINK("x")'))
        lines = self.api.client.get(f"/api/{self.url}/export.jsonl").content.decode().splitlines()
        self.assertEqual(json.loads(lines[0])["sea"], '=HYPERLINK("x")')
        table = self.api.client.get(f"/api/{self.url}/export.csv").content.decode()
        self.assertIn("'=HYPERLINK", table)
        upload = SimpleUploadedFile("cases.xlsx", book)
        seen = self.api.upload(f"{self.url}/preview/", file=upload).json()
        self.assertEqual(
            (seen["rows"], [c["name"] for c in seen["columns"]][:2]), (6, ["id", "sea"])
        )

    def test_what_a_spreadsheet_cannot_hold_is_replaced_and_read_back(self):
        data = write_xlsx(["a"], [{"a": "bell\x07 end"}, {"a": "x" * 40_000}, {"a": 3}])
        rows = read_xlsx(data).rows
        self.assertEqual((rows[0]["a"], len(rows[1]["a"])), ("bell\ufffd end", 32_767))
