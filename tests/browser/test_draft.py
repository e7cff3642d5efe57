"""Findings in the margin of the draft: they appear as one types, and one press mends."""

from __future__ import annotations

from playwright.sync_api import expect

from nomikon.server.briefs.models import Brief
from tests.browser.driver import BrowserTest


class FindingsTest(BrowserTest):
    with_worker = False

    def test_a_finding_appears_and_its_fix_is_taken_and_undone(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        page.goto(f"{self.address}/briefs/{brief.pk}/draft?v=4")
        text = page.get_by_label("Text of message 1, system")
        text.click()
        page.keyboard.press("Control+End")
        page.keyboard.type("\nUse null for what the message does not say.")
        margin = page.get_by_label("Margin")
        expect(margin.get_by_text("duplicate clause")).to_be_visible()
        expect(text.get_by_text("Use null for what the message does not say.")).to_have_count(2)
        margin.get_by_role("button", name="Take it out").click()
        expect(text.get_by_text("Use null for what the message does not say.")).to_have_count(1)
        expect(margin.get_by_text("duplicate clause")).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(text.get_by_text("Use null for what the message does not say.")).to_have_count(2)
        # What does not apply here is silenced with a reason, and can be heard again.
        margin.get_by_role("button", name="Not here…").first.click()
        margin.get_by_label("Why this does not apply").fill("said twice on purpose")
        margin.get_by_role("button", name="Silence").click()
        expect(margin.get_by_text("said twice on purpose")).to_be_visible()
        margin.get_by_role("button", name="Hear it again").click()
        expect(margin.get_by_role("button", name="Take it out")).to_be_visible()
        self.assertEqual(self.troubles, [])


class TryTest(BrowserTest):
    def test_an_unsaved_text_is_tried_on_two_models_beside_the_saved_one(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        page.goto(f"{self.address}/briefs/{brief.pk}/draft?v=3")
        text = page.get_by_label("Text of message 1, system")
        text.click()
        page.keyboard.press("Control+End")
        page.keyboard.type("\nWrite every value in upper case.")
        page.get_by_role("tab", name="Try").click()
        page.get_by_label("also v3 as saved").check()
        page.keyboard.press("Control+Enter")
        for name in ("standin-pebble", "standin-pebble, v3 as saved", "standin-cobble"):
            column = page.get_by_role("region", name=name, exact=True)
            expect(column.get_by_text("finish stop")).to_be_visible()
            expect(column.locator("pre")).to_contain_text("{")
        # Another answer is had beside the first, which stays.
        page.get_by_role("button", name="Again").click()
        column = page.get_by_role("region", name="standin-cobble", exact=True)
        expect(column.get_by_text("finish stop")).to_have_count(2)
        # What it cost is in the ledger, and nothing was saved.
        page.goto(f"{self.address}/ledger")
        expect(page.get_by_text("Draft tried on standin-cobble").first).to_be_visible()
        self.assertEqual(brief.versions.count(), 6)
        self.assertEqual(self.troubles, [])
