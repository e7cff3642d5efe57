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
        changed, _ = self.read(text=TEXT + " ", ask=False)
        self.assertEqual(changed.json()["passes"], 0)

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
