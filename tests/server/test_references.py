"""What is right for a case: written by one or by two, in several forms, scored at once."""

import json
from urllib.parse import urlencode

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase

from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.actions.create_dataset import CreateDataset
from nomikon.server.apps.datasets.actions.edit_cases import Edit, EditCases
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.apps.reviews.models import ReferenceDraft
from nomikon.server.apps.trials.models import Output
from tests.server.base import Api, Scripted, make_brief, run, start, who

USES = json.dumps(
    {"id": {"as": "id"}, "sea": {"as": "input"}, "reference": {"as": "reference"},
     "also right": {"as": "forms"}, "split": {"as": "split"}, "tags": {"as": "tags"}}
)  # fmt: skip


class References(TransactionTestCase):
    def setUp(self):
        # Cases 1 to 12 hold sea 0 to sea 11; every third is held out.
        self.brief = make_brief(12)
        self.dataset = self.brief.datasets.first()
        self.api = Api()
        CaseRevision.objects.filter(case__dataset=self.dataset).update(reference=None)
        self.revisions = list(
            newest_version(self.dataset).entries.values_list("revision", flat=True)
        )

    def page(self, reader="Ida", **query):
        self.api.client.cookies["nomikon-name"] = reader
        asked = urlencode(query)
        return self.api.get(f"datasets/{self.dataset.pk}/references/?{asked}").json()

    def write(self, case, text, reader="Ida", before=None, status=200, **more):
        self.api.client.cookies["nomikon-name"] = reader
        got = self.api.post(
            f"revisions/{self.revisions[case - 1]}/reference/",
            {"before": before, "reference": text, **more},
        )
        self.assertEqual(got.status_code, status, got.content)
        return got.json()

    def test_what_is_written_scores_the_stored_answers_at_once(self):
        small = Model.objects.get(name="small").pk
        trial = start(self.brief, versions=[1], models=[small])
        run(trial, Scripted(lambda body: "yes"))
        output = Output.objects.get(arm__trial=trial, revision=self.revisions[0])
        self.assertIsNone(output.scores.get(replaced=False).total)
        page = self.page()
        self.assertEqual((page["n_open"], page["total"]), (12, 12))
        (start_,) = page["starts"]
        shown = self.page(arm=start_["arm"])["rows"]
        self.assertEqual(shown[0]["start"], output.text)
        # A held-out case was not asked: nothing stands there as a start.
        self.assertEqual([r["start"] is None for r in shown[:3]], [False, False, True])
        told = self.write(1, shown[0]["start"])
        self.assertEqual((told["became"], told["row"]["reference"]), ("reference", output.text))
        self.assertEqual(output.scores.get(replaced=False).total, 1.0)
        self.assertEqual(self.page()["n_open"], 11)
        # What another wrote meanwhile is not overwritten.
        told = self.write(1, "no", reader="Olaf", status=422)
        self.assertIn("corrected meanwhile", json.dumps(told))

    def test_two_people_write_without_each_others_and_what_differs_is_settled(self):
        self.assertEqual(self.write(1, "yes", two=True)["became"], "waits")
        self.assertEqual(self.write(2, "yes", two=True)["became"], "waits")
        self.assertEqual(self.write(3, "left", two=True)["became"], "waits")
        mine, theirs = self.page(two="true"), self.page("Olaf", two="true")
        self.assertEqual((mine["n_open"], mine["n_waiting"]), (9, 3))
        self.assertEqual((theirs["n_open"], theirs["n_waiting"]), (12, 0))
        self.assertEqual(theirs["rows"][0]["others"], [])
        self.assertNotIn("left", json.dumps(theirs["rows"]))
        # Blanks tell nothing apart; the same from two is the reference.
        self.assertEqual(self.write(1, " yes\n", "Olaf", two=True)["became"], "reference")
        self.assertEqual(self.write(2, "no", "Olaf", two=True)["became"], "differs")
        # Which of two right forms stands first tells nothing either.
        self.write(3, "left", two=True, forms=["port"])
        self.assertEqual(
            self.write(3, "port", "Olaf", two=True, forms=["left"])["became"], "reference"
        )
        page = self.page(which="differ")
        self.assertEqual((page["n_both"], page["n_same"], page["n_differ"]), (3, 2, 1))
        (row,) = page["rows"]
        self.assertEqual([row["own"]["text"], row["others"][0]["text"]], ["yes", "no"])
        self.assertEqual({w["kind"] for w in row["words"]}, {"gone", "new"})
        # A third person who settles sees both.
        self.assertEqual(len(self.page("Una", which="differ")["rows"][0]["others"]), 2)
        self.write(2, "yes", "Una", forms=["no"])
        page = self.page(which="differ")
        self.assertEqual((page["total"], page["n_differ"], page["n_both"]), (0, 0, 3))
        self.assertEqual(
            [
                (r.reference, r.forms)
                for r in CaseRevision.objects.filter(pk__in=self.revisions[:3]).order_by("pk")
            ],
            [("yes", []), ("yes", ["no"]), ("left", ["port"])],
        )
        self.assertFalse(ReferenceDraft.objects.filter(settled=False).exists())
        told = self.write(1, "no", two=True, status=422)
        self.assertIn("has a reference meanwhile", json.dumps(told))

    def test_a_blank_is_no_reference_and_a_page_without_cases_says_so(self):
        told = self.write(1, "  ", status=400)
        self.assertIn("reference", json.dumps(told))
        self.dataset.versions.all().delete()
        self.assertEqual(self.page()["rows"], [])

    def test_several_right_forms_come_in_go_out_and_come_back(self):
        EditCases(
            self.dataset,
            [Edit(self.revisions[0], given={"reference": "9", "forms": ["nine", "9", " ", "IX"]})],
            **who(),
        ).execute()
        first = newest_version(self.dataset).entries.first().revision
        self.assertEqual(first.forms, ["nine", "IX"])
        for kind in ("csv", "jsonl"):
            got = self.api.client.get(f"/api/datasets/{self.dataset.pk}/export.{kind}")
            text = b"".join(got.streaming_content) if got.streaming else got.content
            file = SimpleUploadedFile(f"back.{kind}", text.replace(b"nine", b"neuf"))
            got = self.api.upload(
                f"datasets/{self.dataset.pk}/import/", file=file, mapping=USES, by='["#id"]'
            )
            told = self.api.lines(got)[-1]
            self.assertEqual(told.get("done", told).get("changed"), 1, told)
            first = newest_version(self.dataset).entries.first().revision
            self.assertEqual(first.forms, ["neuf", "IX"])
            EditCases(
                self.dataset, [Edit(first.pk, given={"forms": ["nine", "IX"]})], **who()
            ).execute()
        # Without a reference there are no further forms of one.
        first = newest_version(self.dataset).entries.first().revision
        EditCases(self.dataset, [Edit(first.pk, given={"reference": ""})], **who()).execute()
        self.assertEqual(newest_version(self.dataset).entries.first().revision.forms, [])


class MissingTest(TransactionTestCase):
    def test_parts_with_scores_and_more_of_a_kind_from_another_dataset(self):
        brief = make_brief(12)
        dataset = brief.datasets.first()
        small = Model.objects.get(name="small").pk
        trial = start(brief, versions=[1], models=[small])
        run(trial, Scripted(lambda body: "yes"))
        api = Api()
        arm = trial.arms.get().pk
        told = api.get(f"datasets/{dataset.pk}/missing/?arm={arm}").json()
        parts = {(p["kind"], p["name"]): p for p in told["parts"]}
        yes = parts["label", "yes"]
        self.assertEqual((yes["working"], yes["held_out"], yes["score"]), (8, 4, 1.0))
        self.assertIn("8 working", yes["thin"])
        other = CreateDataset(brief, "The log", **who()).execute()
        texts = ["sea 99 is rough", "the bill of last month", "sea 1"]
        EditCases(
            other, [Edit(values={"sea": t}) for t in texts], columns=["sea"], **who()
        ).execute()
        asked = f"datasets/{dataset.pk}/alike/?kind=label&name=yes&among={other.pk}"
        # The copy of case 2 is here already, the bill is like none of them.
        self.assertEqual([c["number"] for c in api.get(asked).json()["cases"]], [1])
        got = api.get(asked.replace("name=yes", "name=never"))
        self.assertEqual((got.status_code, got.json()["field"]), (422, "name"))
        self.assertEqual(api.get(asked.replace(f"={other.pk}", "=0")).status_code, 404)
