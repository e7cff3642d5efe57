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
        self.assertEqual(self.troubles, [])
