"""Consultations through the API: asked, read, put right, asked once more, kept, taken or dropped."""

import json

from django.test import TestCase

from nomikon.server.apps.briefs.models import AskedQuestion, Instruction
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.consultations.models import Consultation
from nomikon.server.apps.ledger.models import Line
from tests.server.base import Api, make_brief
from tests.server.consulting import consult, listed
from tests.server.test_drafts import system

CLAUSE = {"role": "system", "part": "task", "text": "Say yes or no.", "reason": "The job."}


class ConsultingTest(TestCase):
    def setUp(self):
        self.brief = make_brief(3)
        self.api = Api()
        self.about = {"brief": self.brief.pk}
        self.model = Model.objects.order_by("id").first()

    def kept(self, role="draft"):
        return self.api.get(f"consultations/?role={role}&brief={self.brief.pk}").json()[
            "consultation"
        ]

    def test_what_is_asked_is_told_with_its_price_before(self):
        body = {"role": "draft", "about": self.about, "model": self.model.pk}
        once = self.api.post("consultations/", {**body, "again": False}).json()["prepared"]
        twice = self.api.post("consultations/", body).json()["prepared"]
        self.assertNotIn("JSON", once["instruction"])
        self.assertIn("Reply with one JSON object", once["form"])
        self.assertIn(self.brief.job, once["shown"])
        self.assertGreater(twice["cost_at_most"], 2 * once["cost_at_most"])
        self.assertEqual(Consultation.objects.count(), 0)

    def test_an_untidy_reply_is_read_told_and_kept_until_it_is_taken(self):
        reply = f"Sure!\n```json\n{listed('clauses', CLAUSE)[:-2]},]}}\n```\nAnything else?"
        made, calls = consult(self.api, "draft", self.about, reply)
        self.assertEqual(len(calls), 1)
        self.assertEqual([m["role"] for m in calls[0]["messages"]], ["system", "user"])
        self.assertEqual(made["reading"]["clauses"][0]["text"], "Say yes or no.")
        self.assertIn("a comma too many", made["reading"]["repaired"])
        self.assertEqual(len(made["reading"]["passed_over"]), 1)
        line = Line.objects.get(what="consultation.asked")
        self.assertEqual((line.cost_nano, line.facts["role"]), (made["cost"], "draft"))
        # As after a reload.
        self.assertEqual(self.kept()["id"], made["id"])
        self.api.patch(f"consultations/{made['id']}/", {"state": "taken"})
        self.assertIsNone(self.kept())
        self.assertEqual(Consultation.objects.get().state, "taken")

    def test_a_reply_that_cannot_be_read_is_asked_for_once_more_with_the_reason(self):
        made, calls = consult(
            self.api, "draft", self.about, "I would rather chat.", listed("clauses", CLAUSE)
        )
        again = calls[1]["messages"]
        self.assertEqual([m["role"] for m in again], ["system", "user", "assistant", "user"])
        self.assertIn("there is no JSON", again[-1]["content"])
        self.assertEqual((made["problem"], len(made["tries"])), ("", 2))
        self.assertEqual(Line.objects.filter(what="consultation.asked").count(), 2)
        self.assertEqual(made["cost"], sum(t["cost"] for t in made["tries"]))
        made, calls = consult(self.api, "draft", self.about, "Let us chat.", again=False)
        self.assertEqual(len(calls), 1)
        self.assertIn("there is no JSON", made["problem"])
        self.assertEqual(made["text"], "Let us chat.")

    def test_a_reply_is_put_right_by_hand_without_a_call(self):
        made, _ = consult(
            self.api, "draft", self.about, listed("clauses", CLAUSE)[:-30], again=False
        )
        self.assertIn("cut", made["problem"])
        self.assertEqual(made["line"], 1)
        url = f"consultations/{made['id']}/"
        worse = self.api.patch(url, {"text": '{"clauses":\n[{"text": "half'}).json()
        self.assertEqual((worse["reading"], worse["text"][:3], worse["line"]), (None, '{"c', 1))
        better = self.api.patch(url, {"text": listed("clauses", CLAUSE)}).json()
        self.assertEqual((better["reading"]["items"] > 0, better["edited"]), (True, True))
        self.assertEqual(len(better["tries"]), 1)

    def test_nothing_to_take_says_why(self):
        made, _ = consult(
            self.api, "questions", {**self.about, "messages": []}, '{"questions": []}', again=False
        )
        self.assertIn("proposes nothing", made["reading"]["nothing"])
        row = {**CLAUSE, "text": "Ask {{wind}}."}
        made, _ = consult(self.api, "draft", self.about, listed("clauses", row), again=False)
        self.assertIn("wind, which no case fills", made["problem"])

    def test_a_failed_call_and_a_cut_reply(self):
        made, _ = consult(
            self.api, "draft", self.about, {"failure": ("timeout", "no full answer: 2 s")}
        )
        self.assertIn("2 s", made["problem"])
        self.assertEqual((made["text"], made["cost"]), ("", None))
        cut = {"text": '{"clauses": [{"text": "a', "finish_reason": "length"}
        made, calls = consult(self.api, "draft", self.about, cut, listed("clauses", CLAUSE))
        self.assertIn("output limit", calls[1]["messages"][-1]["content"])
        self.assertEqual(made["reading"]["clauses"][0]["text"], CLAUSE["text"])

    def test_an_answer_schema_that_is_refused_is_not_sent_again(self):
        refused = {"failure": ("refused", "HTTP 400: response_format")}
        _, calls = consult(self.api, "draft", self.about, refused, listed("clauses", CLAUSE))
        self.assertIn("response_schema", calls[0]["settings"])
        self.assertNotIn("response_schema", calls[1]["settings"])
        self.model.refresh_from_db()
        self.assertIn("response_schema", self.model.unsupported)
        _, calls = consult(self.api, "draft", self.about, listed("clauses", CLAUSE))
        self.assertNotIn("response_schema", calls[0]["settings"])

    def test_a_refusal_that_has_another_reason_blames_no_schema(self):
        refused = {"failure": ("refused", "HTTP 400: no")}
        consult(self.api, "draft", self.about, refused, refused)
        self.model.refresh_from_db()
        self.assertEqual(self.model.unsupported, [])

    def test_what_a_first_version_leaves_open_is_asked_once_it_is_taken(self):
        reply = {
            "clauses": [{"role": "user", "part": "input", "text": "See {{sea}}.", "reason": "Job."}],
            "open": [{"question": "Who swims there?", "why": "w", "answers": ["seals"],
                      "clause": "Write for {answer}."}],
        }  # fmt: skip
        for state, found in (("dropped", 0), ("taken", 1)):
            made, _ = consult(self.api, "draft", self.about, json.dumps(reply))
            self.assertEqual(
                [q["text"] for q in made["reading"]["questions"]], ["Who swims there?"]
            )
            self.api.patch(f"consultations/{made['id']}/", {"state": state})
            self.assertEqual(self.brief.questions.filter(state="open").count(), found)

    def test_questions_are_kept_open_once_they_are_taken(self):
        rows = [
            {"question": "Salt or fresh?", "answers": ["salt"]},
            {"question": "How deep is it?"},
        ]
        about = {**self.about, "messages": [{"role": "user", "content": "Is {{sea}} wet?"}]}
        made, _ = consult(self.api, "questions", about, listed("questions", *rows))
        self.assertFalse(AskedQuestion.objects.exists())
        close = f"consultations/{made['id']}/"
        self.api.patch(close, {"state": "taken", "places": [1]})
        kept = AskedQuestion.objects.get()
        self.assertEqual((kept.text, kept.asked_by), ("Salt or fresh?", self.model.name))
        # Taken twice it is kept once, and not asked for again.
        self.api.patch(close, {"state": "taken"})
        self.assertEqual(AskedQuestion.objects.count(), 1)
        made, _ = consult(self.api, "questions", about, listed("questions", rows[0]), again=False)
        self.assertIn("it was asked before", made["reading"]["nothing"])

    def test_cases_with_what_they_would_cover_and_copy(self):
        dataset = self.brief.datasets.first().pk
        about = {
            "dataset": dataset, "how_many": 2, "hard": ["no sea at all"],
            "dimensions": [{"name": "mood", "values": ["calm", "wild"]}],
        }  # fmt: skip
        row = {"inputs": {"sea": "a wholly new sea, wild and grey"}, "dimensions": {"mood": "wild"}}
        made, calls = consult(self.api, "cases", about, listed("cases", row))
        self.assertIn("no sea at all", calls[0]["messages"][1]["content"])
        self.assertEqual(made["reading"]["cases"][0]["tags"], ["mood: wild"])
        self.assertEqual(made["reading"]["before"]["dimensions"][0]["name"], "mood")
        got = self.api.post("consultations/", {"role": "cases", "about": {**about, "how_many": 0}})
        self.assertEqual((got.status_code, got.json()["field"]), (422, "how_many"))

    def test_one_like_these(self):
        about = {
            "examples": [{"messages": system("Sort {{x}}. ```a```")}],
            "job": "Name the vessel.",
        }
        made, calls = consult(self.api, "alike", about, "Here it is:\n```\nName it.\n\n{{x}}\n```")
        sent = calls[0]["messages"]
        self.assertIn(
            "````\nSort {{x}}. ```a```\n````\n\nJob: Name the vessel.", sent[1]["content"]
        )
        self.assertEqual(made["reading"]["text"], "Name it.\n\n{{x}}")

    def test_wordings_are_kept_for_every_role_without_the_form(self):
        shipped = self.api.get("instructions/rubric/").json()[0]
        self.assertNotIn("JSON", shipped["text"])
        keep = {"text": "You write rubrics, short ones.", "note": "short"}
        self.assertEqual(self.api.post("instructions/rubric/keep/", keep).status_code, 200)
        told = self.api.post("consultations/", {"role": "rubric", "about": self.about}).json()[
            "prepared"
        ]
        self.assertEqual(told["instruction"], keep["text"])
        bad = self.api.post("instructions/rubric/keep/", {"text": "Use {{colour}}.", "note": ""})
        self.assertEqual(bad.status_code, 422)
        # What was kept before roles had their form apart reads without it.
        form = self.api.post("consultations/", {"role": "draft", "about": self.about}).json()[
            "prepared"
        ]["form"]
        Instruction.objects.create(
            purpose="draft",
            number=1,
            text=f"You write.\n\n{form}",
            created_at="2026-11-26T00:00Z",
            created_by="x",
        )
        told = self.api.post("consultations/", {"role": "draft", "about": self.about}).json()[
            "prepared"
        ]
        self.assertEqual(told["instruction"], "You write.")

    def test_what_is_wrong_is_said_at_its_field(self):
        for body, field in (
            ({"role": "poet", "about": {}}, "role"),
            ({"role": "draft", "about": {}}, "brief"),
            (
                {"role": "draft", "about": self.about, "instruction": "Use {{colour}}."},
                "instruction",
            ),
            ({"role": "alike", "about": {"examples": [], "job": "x"}}, "examples"),
            (
                {"role": "alike", "about": {"examples": [{"messages": system("a")}], "job": " "}},
                "job",
            ),
        ):
            with self.subTest(body=body):
                got = self.api.post("consultations/", body)
                self.assertEqual((got.status_code, got.json()["field"]), (422, field))
        self.brief.job = ""
        self.brief.save()
        got = self.api.post("consultations/", {"role": "draft", "about": self.about})
        self.assertEqual((got.status_code, got.json()["field"]), (422, "job"))

    def test_a_reply_of_a_person_is_not_anothers(self):
        made, _ = consult(self.api, "draft", self.about, listed("clauses", CLAUSE))
        self.assertIsNotNone(self.kept())
        Consultation.objects.filter(pk=made["id"]).update(created_by="somebody else")
        self.assertIsNone(self.kept())
