"""Open questions and first versions through the API: settled, taken back, told to models, saved."""

import json

from django.test import TestCase

from nomikon.server.apps.briefs.models import AskedQuestion, Version
from nomikon.server.apps.ledger.models import Line
from tests.server.base import Api, make_brief
from tests.server.consulting import consult

TEXT = [{"role": "user", "content": "Is {{sea}} wet?"}]


class QuestionsTest(TestCase):
    def setUp(self):
        self.brief = make_brief(3)
        self.api = Api()
        self.url = f"briefs/{self.brief.pk}"

    def settle(self, status=200, **body):
        got = self.api.post(f"{self.url}/questions/settle/", {"messages": TEXT, **body})
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def shown(self, role, about):
        return self.api.post("consultations/", {"role": role, "about": about}).json()["prepared"][
            "shown"
        ]

    def questions(self):
        return self.api.post(f"{self.url}/questions/", {"messages": TEXT}).json()["questions"]

    def test_an_answer_becomes_a_fact_and_a_clause_to_take(self):
        first = self.questions()[0]
        self.assertEqual((first["state"], first["asked_by"]), ("open", "check"))
        made = self.settle(key=first["key"], state="answered", answer="at most 5 words")
        self.assertIn("at most 5 words", made["proposed"]["messages"][0]["content"])
        self.assertIn("{{sea}}", made["proposed"]["messages"][0]["content"])
        stored = next(q for q in self.questions() if q["key"] == first["key"])
        self.assertEqual((stored["state"], stored["answer"]), ("answered", "at most 5 words"))
        # Every model that helps is told.
        asked = self.shown("draft", {"brief": self.brief.pk})
        self.assertIn(f"- {first['text']} at most 5 words", asked)
        dataset = self.brief.datasets.first().pk
        wanted = {"dataset": dataset, "how_many": 2, "dimensions": [], "hard": []}
        cases = self.shown("cases", wanted)
        self.assertIn("at most 5 words", cases)
        self.assertEqual(Line.objects.get(what="question.settled").facts["state"], "answered")

    def test_skipped_or_indifferent_is_not_asked_again_until_it_is_opened(self):
        first, second = self.questions()[:2]
        self.assertIsNone(self.settle(key=first["key"], state="skipped")["proposed"])
        self.settle(key=second["key"], state="indifferent")
        is_open = [q["key"] for q in self.questions() if q["state"] == "open"]
        self.assertNotIn(first["key"], is_open)
        self.assertNotIn(second["key"], is_open)
        self.settle(key=first["key"], state="open")
        self.assertIn(first["key"], [q["key"] for q in self.questions() if q["state"] == "open"])
        self.assertEqual(AskedQuestion.objects.count(), 2)

    def test_what_is_no_answer_is_refused_where_it_stands(self):
        first = self.questions()[0]
        got = self.settle(422, key=first["key"], state="answered", answer=" ")
        self.assertEqual(got["field"], "answer")
        self.assertEqual(self.settle(422, key=first["key"], state="maybe")["field"], "state")
        self.assertEqual(self.settle(422, key="nobody-asked", state="skipped")["field"], "key")
        self.assertFalse(AskedQuestion.objects.exists())


class FirstVersionTest(TestCase):
    def test_read_composed_and_saved_with_a_reason_for_each_clause(self):
        brief = make_brief(3)
        api, url = Api(), f"briefs/{brief.pk}"
        reply = json.dumps(
            {
                "clauses": [
                    {"role": "system", "part": "role", "text": "You know seas.", "reason": "Job."},
                    {"role": "system", "part": "limits", "text": "- One word.", "reason": "Short."},
                    {"role": "system", "part": "task", "text": "Ask {{wind}}.", "reason": "No."},
                ]
            }
        )
        made, _ = consult(api, "draft", {"brief": brief.pk}, reply)
        found = made["reading"]
        self.assertEqual(found["refused"][0]["place"], 3)
        self.assertEqual(len(found["repaired"]), 1)
        made = api.post(f"{url}/compose/", {"clauses": found["clauses"]}).json()
        self.assertEqual([r["clause"] for r in made["reasons"]], [1, 2, 3])
        reasons = [{**r, "fault": "", "cases": 0, "outputs": []} for r in made["reasons"]]
        body = {
            "messages": made["messages"],
            "settings": {},
            "parent": None,
            "second_parent": None,
            "origin": "drafted",
            "note": "from the brief",
            "reasons": reasons,
        }
        number = api.post(f"{url}/versions/", body).json()["number"]
        saved = Version.objects.get(brief=brief, number=number)
        self.assertEqual((saved.origin, saved.parent), ("drafted", None))
        self.assertEqual(saved.reasons[1]["reason"], "Short.")

    def test_a_reply_that_breaks_is_kept_whole_and_told_whatever_the_job(self):
        brief, api = make_brief(2), Api()
        jobs = [
            "A note becomes a label. " * 2_100,
            "乘客的留言分为投诉、表扬或询问。",
            "Fasse Briefe kurz.",
        ]
        for job in jobs:
            brief.job = job
            brief.save()
            for reply, told in [
                ('{"clauses": [{"text": "Do', "never closed"),
                ("I would rather not.", "no JSON in the reply"),
            ]:
                with self.subTest(job=job[:20], reply=reply):
                    made, calls = consult(api, "draft", {"brief": brief.pk}, reply, reply)
                    self.assertIn(told, made["problem"])
                    self.assertEqual((made["text"], made["state"]), (reply, "open"))
                    self.assertIn(job.strip(), str(calls[0]))
