"""Clauses weighed in the draft: the plan, the weights in the margin, the test, the shorter version."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.models import Brief, Version
from tests.browser.driver import BrowserTest
from tests.server.base import who


class WeightsTest(BrowserTest):
    def test_from_the_plan_to_a_shorter_version(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        self.open(f"/briefs/{brief.pk}/draft?v=5&view=Weights")
        page.get_by_label("The model it is for").select_option(label="standin-cobble (simulated)")
        weigh = page.get_by_role("button", name="Weigh 7 clauses")
        expect(weigh).to_be_enabled()
        expect(page.get_by_text("It fixes the form of the answer.")).to_be_visible()
        # What a person keeps in is not left out, and comes back.
        page.get_by_role("button", name="Keep it in").first.click()
        expect(page.get_by_role("button", name="Weigh 6 clauses")).to_be_enabled()
        page.get_by_role("button", name="Leave it out by turns").click()
        page.get_by_label("Cases, of 120").fill("4000")
        expect(page.get_by_text("Cases is 4000; allowed is 2 to 120")).to_be_visible()
        page.get_by_label("Cases, of 120").fill("60")
        weigh.click()
        expect(page.get_by_text("The whole prompt scores")).to_be_visible(timeout=150_000)
        expect(page.get_by_text("§ 3 earns its place")).to_be_visible()
        self.assertEqual(self.violations(), [])

        for box in page.get_by_role("checkbox").all():
            box.set_checked(False)
        page.get_by_role("checkbox", name="Strike § 1", exact=True).check()
        page.get_by_role("button", name="Test without § 1", exact=True).click()
        save = page.get_by_role("button", name="Save v5 without it as v7")
        expect(save).to_be_visible(timeout=120_000)
        save.click()
        expect(page.get_by_role("heading", name="Version 7")).to_be_visible()
        made = Version.objects.get(brief=brief, number=7)
        self.assertEqual(made.origin, "trimmed")
        self.assertNotIn("You sort messages", made.messages[0]["content"])
        # Beside its clauses the older version tells that it was weighed.
        self.open(f"/briefs/{brief.pk}/draft?v=5")
        page.get_by_label("Margin").get_by_role("button", name=re.compile("^Changes")).click()
        page.get_by_role("button", name="What each clause of v5 is worth").click()
        expect(page.get_by_text("§ 3 earns its place")).to_be_visible()
        self.offered_elsewhere(brief)
        self.assertEqual(self.troubles, [])

    def offered_elsewhere(self, brief):
        """What earned its place stands on the shelf with its figures, and is offered where it fits."""
        page = self.page
        self.open("/shelf")
        earned = page.get_by_role("region", name="Lines that earned their place")
        line = earned.get_by_role("listitem").first
        expect(line).to_contain_text(
            re.compile(
                r"\+0\.\d\d \(likely \+0\.\d\d to \+0\.\d\d\) on 60 cases of Message triage, v5"
            )
        )
        self.assertEqual(self.violations(), [])
        other = CreateBrief("Letters", "Sort letters by vessel.", "extract", **who()).execute()
        rows = [{"role": "user", "content": "Sort the letter: {{letter}}"}]
        SaveVersion(other, rows, {}, None, "first", **who()).execute()
        self.open(f"/briefs/{other.pk}/draft")
        page.get_by_label("Margin").get_by_role("button", name=re.compile("^all")).click()
        offered = page.get_by_role("region", name="Lines that helped elsewhere")
        first = offered.get_by_role("listitem").first
        text = first.locator("span.font-serif").inner_text()
        first.get_by_role("button", name="Add it").click()
        # The text says it now: it is offered no more, and stands at its end with its reason.
        expect(offered.get_by_text(text, exact=True)).to_have_count(0)
        page.keyboard.press("Escape")
        expect(page.get_by_label("Text of message 1, user")).to_contain_text(text)
