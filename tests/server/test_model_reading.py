"""A prompt as a model reads it: two passes, only what both say and what quotes the prompt's own words."""

import json
from unittest import mock

from django.test import TestCase

from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.consultations.models import Consultation
from nomikon.server.apps.ledger.models import Line
from tests.server.base import Api, make_brief
from tests.server.consulting import Replies

TEXT = "Write something nice for the guests. Keep it short, but tell everything.\n\n{{sea}}"
NICE = {
    "part": "vague",
    "quote": "something nice",
    "value": None,
    "why": "Nothing says what nice is.",
}
CLASH = {
    "part": "clashing",
    "quote": "Keep it short, but tell everything.",
    "value": None,
    "why": "Both cannot be.",
}
READERS = {"part": "audience", "quote": "for the guests", "value": None, "why": ""}
LIMIT = {
    "part": "limit",
    "quote": "Keep it short",
    "value": {"what": "words", "per": "", "low": None, "high": 50},
    "why": "",
}


def said(*rows):
    return json.dumps({"entries": list(rows)})


class ModelReadingTest(TestCase):
    def setUp(self):
        self.brief, self.api = make_brief(2), Api()
        self.model = Model.objects.order_by("id").first()

    def read(self, *replies, text=TEXT, ask=True):
        worker = Replies(*replies)
        body = {"messages": [{"role": "user", "content": text}], "model": self.model.pk, "ask": ask}
        with mock.patch("nomikon.server.apps.consultations.asking.ask_worker", worker):
            got = self.api.post(f"briefs/{self.brief.pk}/model-reading/", body)
        return got, worker.calls

    def test_both_passes_must_say_it_in_the_prompts_own_words(self):
        got, calls = self.read(ask=False)
        before = got.json()
        self.assertEqual((before["passes"], before["entries"], calls), (0, [], []))
        self.assertGreater(before["cost_at_most"], 0)
        invented = {**NICE, "quote": "something lovely"}
        other = {**LIMIT, "value": {**LIMIT["value"], "high": 40}}
        got, calls = self.read(
            said(NICE, CLASH, READERS, LIMIT, invented),
            said(READERS, other, {**NICE, "quote": "nice"}),
        )
        self.assertEqual(len(calls), 2)
        told = got.json()
        # What only one of them says is not shown, and words that are not there are no words.
        self.assertEqual([e["part"] for e in told["entries"]], ["vague", "audience"])
        found = told["entries"][0]
        self.assertEqual(TEXT[found["start"] : found["end"]], "something nice")
        self.assertEqual((told["alone"], told["cost_at_most"]), (3, 0))
        self.assertEqual(Line.objects.filter(what="consultation.asked").count(), 2)
        # It is kept with the text: read again it costs nothing, and another text has none of it.
        again, calls = self.read()
        self.assertEqual((again.json()["entries"], calls), (told["entries"], []))
        changed, _ = self.read(text="Write of the sea.\n\n{{sea}}", ask=False)
        self.assertEqual(changed.json()["passes"], 0)

    def test_only_what_was_changed_is_read_again(self):
        self.read(said(NICE, CLASH, READERS), said(NICE, CLASH, READERS))
        # Clauses that only moved were all read: what is said of the whole is not carried over.
        moved = (
            "Keep it short, but tell everything. Write something nice for the guests.\n\n{{sea}}"
        )
        told, calls = self.read(text=moved)
        self.assertEqual(
            ([e["part"] for e in told.json()["entries"]], calls), (["vague", "audience"], [])
        )
        place = told.json()["entries"][0]
        self.assertEqual(moved[place["start"] : place["end"]], "something nice")
        # A new clause is read alone, for less, and what stood before is said with it.
        more = TEXT + "\n\nNever use a fancy word."
        rule = {"part": "rule", "quote": "Never use a fancy word", "value": "must-not", "why": ""}
        before = self.read(text=more, ask=False)[0].json()
        self.assertEqual((before["only"], before["passes"]), ([4], 0))
        whole = self.read(text="Say it in other words.", ask=False)[0].json()
        self.assertLess(before["cost_at_most"], whole["cost_at_most"] / 2)
        # What a reply says of clauses it was not asked for is not taken from it.
        told, calls = self.read(said(rule, CLASH), said(rule, CLASH, LIMIT), text=more)
        self.assertEqual(len(calls), 2)
        self.assertIn("Read §4: ", calls[0]["messages"][1]["content"])
        self.assertEqual(
            [e["part"] for e in told.json()["entries"]], ["vague", "audience", "clashing", "rule"]
        )

    def test_what_it_read_reaches_findings_and_checks_until_a_person_says_otherwise(self):
        text = "Tell the guests about the sea.\nForty words will do. Make it nice.\n\n{{sea}}"
        limit = {
            **LIMIT,
            "quote": "Forty words will do",
            "value": {"what": "words", "per": "", "low": None, "high": 40},
        }
        nice = {**NICE, "quote": "Make it nice"}
        self.read(said(limit, nice), said(limit, nice), text=text)
        rows = [{"role": "user", "content": text}]
        lines = self.api.post(f"briefs/{self.brief.pk}/read/", {"messages": rows}).json()["lines"]
        (line,) = [x for x in lines if x["source"] == "model"]
        self.assertEqual((line["part"], line["check"]["max"]), ("limit", 40))
        body = {"messages": rows, "settings": {}, "parent": None}
        found = self.api.post(f"briefs/{self.brief.pk}/draft/", body).json()["findings"]
        (vague,) = [f for f in found if f["rule"] == "read-vague"]
        self.assertEqual(
            (vague["severity"], text[vague["start"] : vague["end"]]), ("warning", "Make it nice")
        )
        # Confirmed it is a person's, and denied it is gone.
        for fact, sources in ((line["fact"], ["person"]), ({**line["fact"], "value": None}, [])):
            self.api.post(f"briefs/{self.brief.pk}/readings/", fact)
            lines = self.api.post(f"briefs/{self.brief.pk}/read/", {"messages": rows}).json()[
                "lines"
            ]
            self.assertEqual([x["source"] for x in lines if x["part"] == "limit"], sources)
        body = {"rule": "read-vague", "reason": "it is a greeting"}
        self.api.post(f"briefs/{self.brief.pk}/silence/", body)
        body = {"messages": rows, "settings": {}, "parent": None}
        found = self.api.post(f"briefs/{self.brief.pk}/draft/", body).json()["findings"]
        self.assertNotIn("read-vague", [f["rule"] for f in found])

    def test_a_standing_consent_is_told_and_taken_back(self):
        self.assertIsNone(self.read(ask=False)[0].json()["standing"])
        there = f"briefs/{self.brief.pk}/standing-reader/"
        self.api.put(there, {"model": self.model.pk})
        got, calls = self.read(ask=False)
        # It is a consent: looking at a text asks nothing.
        self.assertEqual((got.json()["standing"], calls), (self.model.pk, []))
        self.assertEqual(self.api.put(there, {"model": 999}).status_code, 422)
        self.api.put(there, {"model": None})
        self.assertIsNone(self.read(ask=False)[0].json()["standing"])
        told = Line.objects.filter(what="reader.standing").order_by("id")
        self.assertEqual([x.facts["model"] for x in told], [self.model.name, ""])

    def test_a_failed_call_and_a_reply_that_is_none(self):
        got, _ = self.read({"failure": ("unreachable", "no answer came")})
        self.assertEqual((got.status_code, got.json()["passes"]), (200, 0))
        self.assertEqual(got.json()["failure"], "no answer came")
        told = self.read("I like it.", said(NICE))[0].json()
        self.assertEqual((told["passes"], told["unread"], told["entries"]), (1, 1, []))
        self.assertEqual(told["failure"], "")
        # What could not be read is asked for again, and nothing else.
        told, calls = self.read(said(NICE))
        self.assertEqual((told.json()["passes"], len(calls)), (2, 1))
        self.assertEqual([e["part"] for e in told.json()["entries"]], ["vague"])
        self.assertFalse(Consultation.objects.filter(state="open").exists())
        body = {"messages": [{"role": "user", "content": TEXT}], "model": 999, "ask": True}
        got = self.api.post(f"briefs/{self.brief.pk}/model-reading/", body)
        self.assertEqual((got.status_code, got.json()["field"]), (422, "model"))
