"""From marks by keyboard to the next version: faults, proposals taken and left, run again, compared."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.reviews.models import Mark, Preference
from nomikon.server.apps.trials.models import Trial
from tests.browser.driver import BrowserTest
from tests.processes import wait_until


class ReviewTest(BrowserTest):
    def plan(self, *versions: str) -> None:
        page = self.page
        expect(page.get_by_label(re.compile("^v1 "))).to_be_visible()
        for row in page.get_by_role("group", name="Versions").get_by_role("checkbox").all():
            row.uncheck()
        for version in versions:
            page.get_by_label(re.compile(f"^{version} ")).check()
        page.get_by_label(re.compile("^standin-boulder")).check()
        page.get_by_role("button", name=re.compile(r"^Start \d+ calls")).click()
        done = re.compile(r"of \d+ · complete")
        expect(page.get_by_text(done)).to_be_visible(timeout=120_000)

    def write_while_the_server_is_away(self):
        """Cut off in the middle of a comment, for longer than ten seconds, and loaded anew after."""
        page = self.page
        comment = page.get_by_label("Comment on the whole; kept with the mark")
        comment.click()
        page.keyboard.type("it forgets the vessel")
        web = self.processes.running("uvicorn")
        self.processes.kill(web)
        page.keyboard.type(", and the hour")
        expect(page.get_by_text("Connection lost")).to_be_visible()
        page.wait_for_timeout(11_000)
        # A mark that cannot be stored is taken back, and what was said stands where it stood.
        page.keyboard.press("Escape")
        page.keyboard.press("b")
        expect(page.get_by_text("The mark was not stored")).to_be_visible()
        expect(comment).to_have_value("it forgets the vessel, and the hour")
        expect(page.get_by_text("may have been removed")).to_have_count(0)
        self.processes.web(at=int(self.address.rsplit(":", 1)[1]))
        expect(page.get_by_text("Connection lost")).to_have_count(0)
        expect(comment).to_have_value("it forgets the vessel, and the hour")
        page.reload()
        expect(comment).to_have_value("it forgets the vessel, and the hour")
        expect(page.get_by_label("Answer", exact=True)).to_be_visible()
        page.keyboard.press("b")
        wait_until(
            lambda: Mark.objects.filter(comment="it forgets the vessel, and the hour").exists(),
            what="the mark with its comment",
        )
        page.reload()
        expect(page.get_by_label("Answer", exact=True)).to_be_visible()
        expect(comment).to_have_value("")

    def test_what_readers_say_becomes_a_better_version(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        self.open(f"/briefs/{brief.pk}/trials/plan")
        self.plan("v1")

        # Marked by keys alone: words chosen and commented, a kind of fault, a better answer, undo.
        self.open(f"/briefs/{brief.pk}/review")
        expect(page.get_by_role("heading", name="Reading trial 1")).to_be_visible()
        expect(page.get_by_label("Answer", exact=True)).to_be_visible()
        for key in ("]", "c"):
            page.keyboard.press(key)
        page.keyboard.type("it chats instead of sorting")
        page.keyboard.press("Enter")
        expect(
            page.get_by_label("Margin").get_by_text("it chats instead of sorting")
        ).to_be_visible()
        page.keyboard.press("f")
        page.keyboard.type("no JSON")
        page.keyboard.press("Enter")
        page.keyboard.press("Escape")
        page.keyboard.press("e")
        page.keyboard.type('{"category": "other"}')
        page.keyboard.press("Escape")
        page.keyboard.press("b")
        wait_until(lambda: Mark.objects.filter(current=True).count() == 1, what="the mark")
        mark = Mark.objects.get()
        self.assertEqual(
            (mark.judgement, mark.faults, mark.better),
            ("bad", ["no JSON"], '{"category": "other"}'),
        )
        self.assertEqual(mark.spans[0]["comment"], "it chats instead of sorting")
        expect(page.get_by_text("answer 2 of")).to_be_visible()
        page.keyboard.press("z")
        expect(page.get_by_text("answer 1 of")).to_be_visible()
        wait_until(lambda: not Mark.objects.filter(current=True).exists(), what="the mark back")
        for _ in range(3):
            page.keyboard.press("1")
            page.keyboard.press("b")
        wait_until(lambda: Mark.objects.filter(current=True).count() == 3, what="three marks")
        self.assertEqual(self.violations(), [])
        self.write_while_the_server_is_away()

        # The faults, the request as it goes, proposals: one left, one changed, saved with reasons.
        page.get_by_role("navigation", name="Review").get_by_text("Faults and amendments").click()
        faults = page.get_by_role("list", name="Faults")
        expect(faults.get_by_text("no JSON").first).to_be_visible()
        page.get_by_text("Read or change what is asked").click()
        expect(page.get_by_text("§1 (user) Sort this message")).to_be_visible()
        page.get_by_role("button", name=re.compile("^Propose amendments")).click()
        proposals = page.get_by_role("article")
        expect(proposals.first).to_be_visible()
        n = proposals.count()
        self.assertGreaterEqual(n, 3)
        proposals.last.get_by_role("button", name="Leave it").click()
        expect(
            page.get_by_role("heading", name=re.compile("^The text with what is taken"))
        ).to_be_visible()
        self.assertEqual(self.violations(), [])
        page.get_by_role("button", name=f"Save {n - 1} of {n} as the next version").click()
        expect(page.get_by_role("heading", name="Version 7")).to_be_visible()
        made = Version.objects.get(brief=brief, number=7)
        self.assertEqual(
            (made.parent.number, made.origin, len(made.reasons)), (1, "amended", n - 1)
        )
        page.get_by_label("Margin").get_by_role("button", name=re.compile("^Changes")).click()
        expect(
            page.get_by_label("Margin").get_by_text("would not come again").first
        ).to_be_visible()

        # Run again on the same cases, beside its parent.
        self.open(f"/briefs/{brief.pk}/trials/plan?v=7")
        self.plan("v7", "v1")
        means = {
            a.version.number: a for a in Trial.objects.latest("pk").arms.select_related("version")
        }
        self.assertEqual(set(means), {1, 7})
        first = page.get_by_role("row").nth(1)
        expect(first).to_contain_text("v7")

        # Two by two, blind: the arrows choose, the strengths follow.
        self.open(f"/briefs/{brief.pk}/review?view=pairs")
        expect(page.get_by_label("The left answer")).to_be_visible()
        for key in ("ArrowLeft", "ArrowRight", "ArrowDown", "ArrowRight"):
            page.keyboard.press(key)
        wait_until(lambda: Preference.objects.count() == 4, what="four preferences")
        expect(page.get_by_role("heading", name="Strengths from 4 pairs")).to_be_visible()
        self.assertEqual(self.violations(), [])
        self.open(f"/briefs/{brief.pk}/trials")
        page.get_by_role("link", name="How sure is that?").click()
        expect(page.get_by_role("heading", level=1)).to_be_visible()
        self.assertEqual(self.troubles, [])
