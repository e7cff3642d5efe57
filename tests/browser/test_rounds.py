"""Rounds that run by themselves; open questions, a first version, precedents and former answers."""

from __future__ import annotations

import re

from django.utils import timezone
from playwright.sync_api import expect

from nomikon.server.apps.briefs.models import AskedQuestion, Brief, Version
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.reviews.models import Mark, Precedent
from nomikon.server.apps.rounds.models import Rounds
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.models import COMPLETE, Trial
from nomikon.server.apps.trials.planning import make_plan
from nomikon.server.apps.verdicts.models import Verdict
from tests.browser.driver import BrowserTest
from tests.processes import wait_until


class RoundsTest(BrowserTest):
    def test_two_rounds_are_begun_watched_and_read(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        self.open(f"/briefs/{brief.pk}/review?view=rounds&v=1")
        expect(page.get_by_label("Begin with")).to_have_value("1")
        expect(page.get_by_text(re.compile("never looked at so far"))).to_be_visible()
        # A number that cannot be is told where it stands, and nothing typed is lost.
        page.get_by_label("Rounds at most").fill("0")
        expect(page.get_by_text("rounds is 0; allowed is 1 to 10")).to_be_visible()
        page.get_by_label("Rounds at most").fill("2")
        page.get_by_label("Candidates a round").fill("2")
        page.get_by_text("Read or change what the proposing model is asked").click()
        expect(page.get_by_label("Wording")).to_have_value("0")
        self.assertEqual(self.violations(), [])
        page.get_by_role("button", name="Start 2 rounds").click()
        expect(page.get_by_role("button", name="Stop")).to_be_visible()
        expect(page.get_by_text("all 2 rounds are run")).to_be_visible(timeout=150_000)
        rounds = Rounds.objects.get()
        self.assertGreater(rounds.best.number, 6)
        margin = page.get_by_label("Margin")
        expect(margin.get_by_text(f"v{rounds.best.number} is the best so far")).to_be_visible()
        expect(margin.get_by_text("The gain holds: on 40 cases")).to_be_visible()
        expect(margin.get_by_text("looked at once")).to_be_visible()
        expect(page.get_by_role("heading", name="Round 2, from v")).to_be_visible()
        self.assertEqual(self.violations(), [])
        # Nothing was adopted; the way on leads to what changed.
        margin.get_by_role("link", name="see what changed").click()
        expect(page.get_by_role("heading", name=f"Version {rounds.best.number}")).to_be_visible()
        self.assertFalse(Verdict.objects.filter(brief=brief).exists())
        self.assertEqual(self.troubles, [])

    def test_what_is_left_open_is_answered_and_a_version_drafted(self):
        page = self.page
        brief = Brief.objects.get(name="Service notice")
        self.open(f"/briefs/{brief.pk}/draft?v=1")
        margin = page.get_by_label("Margin")
        expect(margin.get_by_text("Who reads the answer?")).to_be_visible()
        margin.get_by_role("textbox", name="Who reads the answer?").fill("the public on the quay")
        margin.get_by_role("button", name="Answer").click()
        expect(
            margin.get_by_text("Write for these readers: the public on the quay.")
        ).to_be_visible()
        # It stands in the text at once.
        expect(
            page.get_by_text("Write for these readers: the public on the quay.").first
        ).to_be_visible()
        expect(page.get_by_role("heading", name="Version 1, 1 change")).to_be_visible()
        margin.get_by_role("button", name="Any is fine").click()
        wait_until(lambda: AskedQuestion.objects.count() == 2, what="both answers")
        margin.get_by_role("button", name=re.compile("^all")).click()
        sheet = page.get_by_role("dialog")
        expect(sheet.get_by_text("the public on the quay")).to_be_visible()
        sheet.get_by_role("button", name="Ask what is open").click()
        sheet.get_by_role("button", name=re.compile(r"^Keep \d+ questions? open")).click()
        expect(sheet.get_by_text("asked by standin-boulder").first).to_be_visible()
        self.assertEqual(self.violations(), [])
        page.keyboard.press("Escape")
        page.keyboard.press("Control+k")
        page.get_by_role("combobox", name="Find a brief").fill("written by")
        page.get_by_role("option", name="Have the text written by a model").click()
        page.get_by_role("dialog").get_by_role("button", name="Write it").click()
        clauses = page.get_by_role("list", name="Clauses").get_by_role("listitem")
        expect(clauses.filter(has_text="the public on the quay")).to_be_visible()
        page.get_by_role("button", name=re.compile(r"^Save \d+ clauses as v3")).click()
        expect(page.get_by_role("heading", name="Version 3")).to_be_visible()
        made = Version.objects.get(brief=brief, number=3)
        self.assertEqual((made.origin, made.parent), ("drafted", None))
        page.get_by_label("Margin").get_by_role("button", name=re.compile("^Changes")).click()
        expect(margin.get_by_text("It was settled: Who reads the answer?")).to_be_visible()
        self.assertEqual(self.troubles, [])


class FormerTest(BrowserTest):
    def test_a_precedent_is_made_and_a_changed_answer_is_read_beside_its_former_one(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        data = brief.datasets.first().versions.order_by("-number").first()
        flint = Model.objects.get(name="standin-flint").pk

        def trial(version: int) -> Trial:
            plan = make_plan(
                brief,
                versions=[version],
                models=[flint],
                settings=[],
                dataset_version=data.pk,
                split="held-out",
                repeats=1,
            )
            made = StartTrial(plan, "", "tester", timezone.now()).execute()
            wait_until(lambda: Trial.objects.get(pk=made.pk).state == COMPLETE, 60, "the trial")
            return made

        trial(1)
        self.open(f"/briefs/{brief.pk}/review")
        expect(page.get_by_label("Answer", exact=True)).to_be_visible()
        page.keyboard.press("c")
        page.keyboard.type("It must say “category”.")
        page.keyboard.press("Escape")
        page.keyboard.press("b")
        expect(page.get_by_text("answer 2 of 40")).to_be_visible()
        page.keyboard.press("p")
        sheet = page.get_by_role("dialog")
        expect(sheet.get_by_role("radio", name="must say category")).to_be_checked()
        self.assertEqual(self.violations(), [])
        sheet.get_by_role("button", name="Keep this precedent").click()
        wait_until(lambda: Precedent.objects.count() == 1, what="the precedent")

        # The next version's answer to that case comes first, the former one beside it.
        second = trial(3)
        self.open(f"/briefs/{brief.pk}/review")
        margin = page.get_by_label("Margin")
        expect(margin.get_by_text("Before, in trial 1: bad")).to_be_visible()
        expect(page.get_by_text("answer 1 of 1")).to_be_visible()
        self.assertEqual(self.violations(), [])
        page.keyboard.press("x")
        wait_until(lambda: Mark.objects.filter(since="fixed").exists(), what="the mark")
        self.assertEqual(Mark.objects.get(since="fixed").judgement, "good")
        self.open(f"/briefs/{brief.pk}/trials/{second.pk}")
        expect(page.get_by_label("Margin").get_by_text("A: breaks none, holds 1")).to_be_visible()
        self.assertEqual(self.troubles, [])
