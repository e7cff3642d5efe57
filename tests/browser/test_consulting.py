"""Helping models with the manners of real ones: words around the JSON, fences, reasoning, commas."""

import json
import re
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.briefs.models import AskedQuestion, Brief, Version
from nomikon.server.apps.connections.models import Connection, Model
from nomikon.server.apps.consultations.models import Consultation
from nomikon.server.apps.trials.models import Output, ScoreRow, Trial
from tests.browser.driver import BrowserTest
from tests.processes import wait_until
from tests.server.base import start, who

RUBRIC = {
    "measure": "rubric",
    "model": "standin-boulder",
    "criteria": [
        {"name": "calm", "asks": "Is it calm?", "levels": ["heated", "neutral", "calm"]},
    ],
}


class HabitsTest(BrowserTest):
    """Every reply comes with reasoning, a preamble, a fence, commas too many and closing words."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        plan = Path(folder.name) / "faults.json"
        plan.write_text(json.dumps({"faults": [{"kind": "habit-all-at-once", "share": 1.0}]}))
        cls.standin = cls.processes.standin("--pace", "0.1", "--faults", str(plan))
        Connection.objects.update(base_url=cls.standin)

    def test_a_version_questions_amendments_and_judgements_through_it(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")

        # A first version; the reply is kept through a reload and put right by hand without a call.
        self.open(f"/briefs/{brief.pk}/draft?v=1")
        page.keyboard.press("Control+k")
        page.get_by_role("combobox", name="Find a brief").fill("written by")
        page.get_by_role("option", name="Have the text written by a model").click()
        sheet = page.get_by_role("dialog")
        expect(sheet.get_by_text("at most")).to_be_visible()
        sheet.get_by_role("button", name="Write it").click()
        expect(sheet.get_by_text("read after it was put in order")).to_be_visible()
        expect(sheet.get_by_text("Put in order: a comma too many")).to_be_visible()
        expect(sheet.get_by_text("Passed over: reasoning before it")).to_be_visible()
        self.assertEqual(self.violations(), [])
        page.reload()
        expect(page.get_by_role("button", name="Find or do")).to_be_visible()
        page.keyboard.press("Control+k")
        page.get_by_role("combobox", name="Find a brief").fill("written by")
        page.get_by_role("option", name="Have the text written by a model").click()
        expect(sheet.get_by_text("Put in order: a comma too many")).to_be_visible()
        sheet.get_by_role("button", name="Show or edit its text…").click()
        reply = sheet.get_by_label("The reply as it is read")
        came = reply.input_value()
        reply.fill(came[: len(came) // 2])
        sheet.get_by_role("button", name="Read it again, without a call").click()
        expect(sheet.get_by_role("alert")).to_contain_text("the JSON was cut")
        expect(sheet.get_by_label("The reply as it is read")).to_have_value(came[: len(came) // 2])
        sheet.get_by_label("The reply as it is read").fill(came)
        sheet.get_by_role("button", name="Read it again, without a call").click()
        sheet.get_by_role("button", name=re.compile(r"^Save \d+ clauses as v")).click()
        expect(page.get_by_role("heading", name="Version 7")).to_be_visible()
        self.assertEqual(Version.objects.get(brief=brief, number=7).origin, "drafted")
        drafted = Consultation.objects.get(role="draft")
        self.assertEqual((drafted.state, len(drafted.tries)), ("taken", 1))

        # Questions, of which those are kept that a person ticks.
        page.get_by_label("Margin").get_by_role("button", name=re.compile("^all")).click()
        sheet.get_by_role("button", name="Ask what is open").click()
        keep = sheet.get_by_role("button", name=re.compile(r"^Keep \d+ questions? open"))
        expect(keep).to_be_visible()
        keep.click()
        expect(sheet.get_by_text("asked by standin-boulder").first).to_be_visible()
        self.assertTrue(AskedQuestion.objects.filter(asked_by="standin-boulder").exists())
        page.keyboard.press("Escape")

        # A judged trial: reasoning is kept apart, and every judgement was read.
        card = {"nomikon": "scorecard/1", "measures": [RUBRIC]}
        SaveScorecard(brief, card, **who()).execute()
        small = Model.objects.get(name="standin-pebble")
        brief.refresh_from_db()
        trial = start(brief, versions=[1], models=[small.pk])
        wait_until(lambda: Trial.objects.get(pk=trial.pk).state == "complete", 90, "the trial")
        self.assertFalse(ScoreRow.objects.filter(total=None).exists())
        output = Output.objects.filter(arm__trial=trial).first()
        self.assertNotIn("think", output.text)
        self.assertIn("what is asked", output.reasoning)
        self.open(f"/briefs/{brief.pk}/trials/{trial.pk}?output={output.pk}")
        expect(page.get_by_text("Its reasoning, kept apart")).to_be_visible()

        # Amendments for what the judge found.
        self.open(f"/briefs/{brief.pk}/review?view=faults")
        propose = page.get_by_role("button", name=re.compile("^Propose amendments for"))
        expect(propose).to_be_visible()
        propose.click()
        expect(page.get_by_text("Passed over: reasoning before it")).to_be_visible()
        expect(page.get_by_role("article").first).to_be_visible()
        self.assertEqual(self.troubles, [])
