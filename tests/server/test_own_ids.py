"""A person's own ids: a case keeps its name through import, changes, search, board and exports."""

import csv
import io
import json

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase

from nomikon.server.apps.datasets.actions.copy_dataset import CopyDataset
from nomikon.server.apps.datasets.models import Case
from nomikon.server.apps.trials.models import Output
from tests.server.base import Api, Scripted, make_brief, run, start, who

FIRST = "ID,sea,reference\nC-7,North,yes\nC-9,South,no\n,East,yes\n"


class OwnIdsTest(TransactionTestCase):
    def setUp(self):
        self.brief, self.api = make_brief(0), Api()
        self.dataset = self.brief.datasets.get()

    def send(self, what, text, **fields):
        got = self.api.upload(
            f"datasets/{self.dataset.pk}/{what}/",
            file=SimpleUploadedFile("seas.csv", text.encode()),
            **{k: v if isinstance(v, str) else json.dumps(v) for k, v in fields.items()},
        )
        told = self.api.lines(got)[-1] if got.status_code == 200 else got.json()
        return told.get("done", told)

    def take(self, text, **fields):
        uses = {c["name"]: {"as": c["use"]} for c in self.send("preview", text)["columns"]}
        return self.send("import", text, mapping=uses, **fields)

    def named(self):
        rows = self.api.get(f"datasets/{self.dataset.pk}/cases/").json()["cases"]
        return [(r["number"], r["id"], r["inputs"]["sea"]) for r in rows]

    def test_a_column_of_ids_is_the_name_and_no_input(self):
        self.assertEqual(self.take(FIRST)["added"], 3)
        self.assertEqual(self.named(), [(1, "C-7", "North"), (2, "C-9", "South"), (3, "", "East")])
        rows = self.send("preview", "id,sea\nx,1\nx,2\n")["columns"]
        told = self.send(
            "preview", "case,label\nIt rained all day.,wet\nThe boat was late.,delay\n"
        )
        self.assertEqual([c["use"] for c in told["columns"]], ["input", "input"])
        # What names two rows is no name of a case, and stays an input.
        self.assertEqual([c["use"] for c in rows], ["input", "input"])

    def test_a_known_id_revises_its_case_which_keeps_its_identity(self):
        self.take(FIRST)
        known = Case.objects.get(own_id="C-9").pk
        done = self.take("id,sea\nC-9,South Sea\nC-11,West\n")
        self.assertEqual((done["added"], done["changed"]), (1, 1))
        self.assertEqual(
            self.named(),
            [(1, "C-7", "North"), (2, "C-9", "South Sea"), (3, "", "East"), (4, "C-11", "West")],
        )
        self.assertEqual(Case.objects.get(own_id="C-9").pk, known)

    def test_an_id_twice_is_told_by_line_and_the_rest_comes_in(self):
        done = self.take("id,sea\nA,1\nB,2\n", by=["#id"])
        self.assertEqual(done["added"], 2)
        uses = {"id": {"as": "id"}, "sea": {"as": "input"}}
        done = self.send("import", "id,sea\nC,1\nC,2\nD,3\n", mapping=uses)
        (refused,) = done["refused"]
        self.assertEqual((done["added"], refused["line"]), (2, 3))
        self.assertIn("case C stands on line 2 already", refused["reason"])

    def test_a_case_that_was_taken_out_comes_back_as_the_same(self):
        self.take(FIRST)
        known = Case.objects.get(own_id="C-9").pk
        # A file that does not speak of it takes it out.
        left = self.take("id,sea\nC-7,Northern\n3,East\n", by=["#id"], gone="remove")
        self.assertEqual((left["changed"], left["removed"]), (1, 1))
        self.assertEqual([c[1] for c in self.named()], ["C-7", ""])
        back = self.take("id,sea\nC-9,South again\n")
        self.assertEqual(back["added"], 1)
        self.assertEqual(Case.objects.get(own_id="C-9").pk, known)
        self.assertEqual(Case.objects.get(pk=known).revisions.count(), 2)

    def test_rows_that_are_matched_by_columns_keep_their_ids(self):
        self.take(FIRST)
        uses = {"id": {"as": "id"}, "sea": {"as": "input"}}
        text = "id,sea\nC-7,North\nC-20,West\nC-9,Elsewhere\nC-20,Farther\n"
        done = self.send("import", text, mapping=uses, by=["sea"])
        self.assertEqual(self.named()[-1], (4, "C-20", "West"))
        told = {r["line"]: r["reason"] for r in done["refused"]}
        self.assertEqual(sorted(told), [4, 5])
        self.assertIn("'C-9' is there already", told[4])

    def test_search_board_answer_and_exports_say_the_name(self):
        self.take(FIRST)
        trial = start(self.brief, versions=[1])
        run(trial, Scripted(lambda b: "yes"))
        (case,) = [r for r in self.api.get("find/?q=c-9").json() if r["kind"] == "case"]
        self.assertEqual(case["label"], "Case C-9: South")
        cells = self.api.get(f"trials/{trial.pk}/cells/").json()["cases"]
        self.assertEqual([c["id"] for c in cells], ["C-7", "C-9", ""])
        output = Output.objects.get(arm__position=0, revision__case__own_id="C-9", repeat=0)
        self.assertEqual(self.api.get(f"outputs/{output.pk}/").json()["case"]["id"], "C-9")
        lines = b"".join(self.api.get(f"trials/{trial.pk}/outputs.jsonl")).decode().splitlines()
        told = {(r["case"], r["id"]) for r in map(json.loads, lines)}
        self.assertEqual(told, {(1, "C-7"), (2, "C-9"), (3, "3")})
        sheet = self.api.get(f"trials/{trial.pk}/scores.csv").content.decode()
        rows = list(csv.DictReader(io.StringIO(sheet)))
        self.assertEqual(
            {(r["case"], r["id"]) for r in rows}, {("1", "C-7"), ("2", "C-9"), ("3", "3")}
        )
        cases = self.api.get(f"datasets/{self.dataset.pk}/export.csv").content.decode()
        self.assertEqual([r["id"] for r in csv.DictReader(io.StringIO(cases))], ["C-7", "C-9", "3"])

    def test_an_export_comes_back_as_what_it_was_and_a_copy_keeps_the_names(self):
        self.take(FIRST)
        cases = self.api.get(f"datasets/{self.dataset.pk}/export.csv").content.decode()
        same = self.take(cases, by=["#id"])
        self.assertIn("every row says what its case says already", str(same))
        copy = CopyDataset(self.dataset, "Copied", **who()).execute()
        self.assertEqual(list(copy.cases.values_list("own_id", flat=True)), ["C-7", "C-9", ""])
