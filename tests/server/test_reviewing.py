"""Marks with what is said on words, faults gathered from them, amendments asked for, read and applied."""

import json

from django.test import TransactionTestCase

from nomikon.server.briefs.models import Version
from nomikon.server.ledger.models import Line
from nomikon.server.reviews.models import Mark
from nomikon.server.trials.models import Output
from tests.server.base import Api, Scripted, make_brief, run, start


class ReviewingTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(6)
        self.api = Api()
        self.trial = start(self.brief, versions=[1, 2])
        run(self.trial, Scripted(lambda body: "It is 🚢 dry, I think"))
        self.output = Output.objects.filter(arm__version__number=1).first()
        self.url = f"briefs/{self.brief.pk}"

    def mark(self, output=None, status=200, **body):
        said = {"judgement": "bad", **body}
        got = self.api.post(f"outputs/{(output or self.output).pk}/marks/", said)
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def faults(self, number=1):
        return self.api.get(f"trials/{self.trial.pk}/faults/{number}/").json()["faults"]


class MarkTest(ReviewingTest):
    def test_what_is_said_of_words_keeps_the_words(self):
        spans = [{"start": 6, "end": 11, "comment": "wrong"}]
        made = self.mark(spans=spans, faults=["invented", " invented "], better="yes")
        # Offsets are code points: the ship counts as one.
        self.assertEqual(made["spans"][0]["quote"], "🚢 dry")
        self.assertEqual((made["faults"], made["better"]), (["invented"], "yes"))
        kinds = self.api.get(f"{self.url}/reading/").json()["fault_kinds"]
        self.assertEqual(kinds, [{"name": "invented", "n": 1}])
        told = self.api.get(f"outputs/{self.output.pk}/").json()["mark"]
        self.assertEqual(told["spans"][0]["comment"], "wrong")

    def test_a_span_off_the_answer_or_without_a_comment_is_refused(self):
        for span in (
            {"start": 0, "end": 99, "comment": "x"},
            {"start": 3, "end": 3, "comment": "x"},
        ):
            with self.subTest(span=span):
                self.mark(status=422, spans=[span])
        self.mark(status=400, spans=[{"start": 0, "end": 2, "comment": " "}])
        self.assertFalse(Mark.objects.exists())

    def test_a_mark_taken_back_stays_in_history(self):
        self.mark(comment="no")
        back = f"outputs/{self.output.pk}/marks/take-back/"
        self.assertEqual(self.api.post(back).status_code, 200)
        self.assertEqual(Mark.objects.filter(current=True).count(), 0)
        self.assertEqual(Mark.objects.count(), 1)
        self.assertTrue(Line.objects.filter(what="mark.taken_back").exists())
        self.assertEqual(self.api.post(back).status_code, 422)


class FaultTest(ReviewingTest):
    def test_marks_and_measures_of_one_version_are_gathered(self):
        others = Output.objects.filter(arm__version__number=1).exclude(pk=self.output.pk)
        self.mark(comment="It says dry although seas are wet")
        self.mark(others.first(), comment="says it is dry, seas are wet", faults=["guesses"])
        self.mark(Output.objects.filter(arm__version__number=2).first(), comment="other version")
        self.mark(others.last(), judgement="good", comment="fine")
        found = self.faults()
        said = [f for f in found if f["source"] == "mark"]
        self.assertEqual([(f["n"], f["source"]) for f in said], [(2, "mark")])
        measured = next(f for f in found if f["source"] == "measure")
        self.assertEqual((measured["label"], measured["cases"]), ("normalised-match", 4))
        self.assertEqual(measured["remarks"][0]["wanted"], "yes")
        self.assertIn("guesses", [f["label"] for f in found])
        self.assertNotIn("fine", json.dumps(found))
        self.assertNotIn("other version", json.dumps(found))

    def test_held_out_cases_teach_nothing(self):
        trial = start(self.brief, versions=[1], split="held-out")
        run(trial, Scripted(lambda body: "no"))
        got = self.api.get(f"trials/{trial.pk}/faults/1/")
        self.assertEqual(got.status_code, 422)
        self.assertIn("held-out", got.json()["detail"])


class AmendTest(ReviewingTest):
    def test_from_faults_to_a_version_with_its_reasons(self):
        self.mark(comment="too long")
        asked = self.api.post(
            f"{self.url}/ask-amendments/", {"trial": self.trial.pk, "version": 1, "faults": [0, 1]}
        ).json()
        self.assertIn("§1 (user) Is {{sea}} wet?", asked["inputs"]["clauses"])
        self.assertIn("Fault 2", asked["inputs"]["faults"])
        reply = {
            "amendments": [
                {
                    "kind": "add",
                    "clause": 1,
                    "text": "Say yes or no.",
                    "reason": "short",
                    "fault": 1,
                },
                {"kind": "strike", "clause": 1, "reason": "gone"},
                {"kind": "amend", "clause": 7, "text": "x", "reason": "y"},
            ]
        }
        read = self.api.post(
            f"{self.url}/read-amendments/",
            {"version": 1, "text": json.dumps(reply), "n_faults": 2},
        ).json()
        self.assertEqual([p["id"] for p in read["proposals"]], ["p1"])
        self.assertEqual([r["place"] for r in read["refused"]], [2, 3])
        row = {k: read["proposals"][0][k] for k in ("id", "kind", "clause", "text", "reason")}
        edited = {**row, "text": "Say yes or no only."}
        bad = {**row, "id": "p9", "text": "Ask {{lake}}."}
        done = self.api.post(
            f"{self.url}/apply-amendments/", {"version": 1, "proposals": [edited, bad]}
        ).json()
        self.assertEqual(done["messages"][0]["content"], "Is {{sea}} wet?\nSay yes or no only.")
        self.assertEqual([r["id"] for r in done["refused"]], ["p9"])
        self.assertGreater(done["tokens_after"], done["tokens_before"])
        reason = {
            "kind": "add", "clause": 1, "text": edited["text"], "reason": "short",
            "fault": "too long", "cases": 1, "outputs": [self.output.pk],
        }  # fmt: skip
        saved = self.api.post(
            f"{self.url}/versions/",
            {
                "messages": done["messages"],
                "settings": {},
                "parent": 1,
                "origin": "amended",
                "note": "n",
                "reasons": [reason],
            },
        )
        self.assertEqual(saved.status_code, 200, saved.content[:300])
        self.assertEqual(Version.objects.get(number=3).reasons, [reason])
        self.assertEqual(saved.json()["reasons"], [reason])

    def test_faults_that_are_not_there_are_refused(self):
        body = {"trial": self.trial.pk, "version": 1, "faults": [99]}
        self.assertEqual(self.api.post(f"{self.url}/ask-amendments/", body).status_code, 422)
