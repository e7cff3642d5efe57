"""Once around with the real interface, and every main screen by axe-core, light and dark."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.trials.models import Output, Trial
from nomikon.server.apps.verdicts.models import Verdict
from tests.browser.driver import BrowserTest
from tests.processes import wait_until


class AroundOnceTest(BrowserTest):
    def test_from_a_new_version_to_a_verdict(self):
        page = self.page
        self.open("/")
        page.get_by_role("link", name="Message triage").click()
        expect(page.get_by_role("heading", name="Version 6")).to_be_visible()

        # A new version: typed at the end of the system message, saved with a note.
        text = page.get_by_label("Text of message 1, system")
        text.click()
        page.keyboard.press("Control+End")
        page.keyboard.type("\nNever refuse.")
        expect(page.get_by_role("heading", name="Version 6, 1 change")).to_be_visible()
        margin = page.get_by_label("Margin")
        expect(margin.get_by_text("save what was changed since v6")).to_be_visible()
        margin.get_by_role("button", name="Changes 1").click()
        expect(margin.get_by_text("§ 15 added since v6")).to_be_visible()
        page.reload()
        expect(page.get_by_text("Never refuse.")).to_be_visible()
        page.keyboard.press("Control+s")
        page.get_by_label("Note: what was changed").fill("no refusals")
        page.get_by_role("button", name="Save the version").click()
        expect(page.get_by_role("heading", name="Version 7")).to_be_visible()
        saved = Version.objects.get(brief__name="Message triage", number=7)
        self.assertEqual((saved.parent.number, saved.note), (6, "no refusals"))
        self.assertTrue(saved.messages[0]["content"].endswith("\nNever refuse."))

        # Plan: v1 beside v7 on two models, price known before.
        page.get_by_role("link", name=re.compile("^Trials")).click()
        page.get_by_role("link", name="Plan the first one").click()
        page.get_by_label("The question").fill("Is it better than the first line?")
        page.get_by_label(re.compile("^v6 ")).uncheck()
        page.get_by_label(re.compile("^v1 ")).check()
        # No model is chosen before somebody has chosen one.
        expect(page.get_by_role("button", name="Start", exact=True)).to_be_disabled()
        page.get_by_label(re.compile("^standin-pebble")).check()
        page.get_by_label(re.compile("^standin-flint")).check()
        start = page.get_by_role("button", name="Start 480 calls")
        expect(start).to_be_enabled()
        # What is chosen and typed there outlives a reload.
        page.reload()
        expect(page.get_by_label("The question")).to_have_value("Is it better than the first line?")
        expect(start).to_be_enabled()
        expect(page.get_by_label("Margin").get_by_text("Price, about")).to_be_visible()
        start.click()

        # Watch it run; a reload in the middle loses nothing that has come in.
        bar = page.get_by_role("progressbar", name="Outputs stored")
        expect(bar).to_be_visible()
        wait_until(lambda: int(bar.get_attribute("aria-valuenow")) > 40, what="answers on screen")
        before = int(bar.get_attribute("aria-valuenow"))
        page.reload()
        expect(bar).to_be_visible()
        wait_until(lambda: int(bar.get_attribute("aria-valuenow")) >= before, what="as many again")
        expect(page.get_by_text("480 of 480 · complete")).to_be_visible(timeout=120_000)
        trial = Trial.objects.get(question__startswith="Is it better")
        self.assertEqual(Output.objects.filter(arm__trial=trial).count(), 480)
        expect(page.get_by_role("row").filter(has_text="v7 on flint")).to_be_visible()

        # Open an answer by keyboard: input, messages as sent, each score and why.
        expect(page.get_by_role("cell", name=re.compile("^Case .*, arm A")).first).to_be_visible()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Enter")
        case = page.get_by_role("article", name=re.compile("^Case "))
        case.get_by_text("Exactly as sent", exact=True).click()
        expect(case.get_by_text("user", exact=True).first).to_be_visible()
        expect(page.get_by_label("Margin").get_by_text("valid JSON").first).to_be_visible()
        page.keyboard.press("Escape")
        expect(case).to_be_hidden()

        # Mark by keyboard, with a comment.
        page.get_by_role("link", name=re.compile("^Review")).click()
        expect(page.get_by_role("heading", name="Reading trial 1")).to_be_visible()
        page.keyboard.press("c")
        page.keyboard.type("no good")
        page.keyboard.press("Control+Enter")
        page.keyboard.press("b")
        expect(page.get_by_text("answer 2 of")).to_be_visible()
        page.keyboard.press("g")
        expect(page.get_by_text("2 marks")).to_be_visible()
        wait_until(lambda: Mark.objects.count() == 2, what="two marks stored")
        self.assertEqual(Mark.objects.get(judgement="bad").comment, "no good")

        # Compare and adopt.
        page.get_by_role("link", name=re.compile("^Verdict")).click()
        self.choose("This arm", "v7 on flint")
        self.choose("Compared with", "v1 on flint")
        expect(page.get_by_text("Better", exact=True)).to_be_visible()
        expect(page.get_by_role("heading", name=re.compile("^Better in"))).to_be_visible()
        expect(
            page.get_by_text(re.compile("^v7 on flint scores .* Take v7 on flint"))
        ).to_be_visible()
        page.get_by_role("button", name="Adopt v7 on flint…").click()
        page.get_by_role("button", name="Adopt it").click()
        expect(page.get_by_text(re.compile("^Say why this arm is adopted, though"))).to_be_visible()
        page.get_by_label("Why this arm").fill("It gives JSON.")
        page.get_by_role("button", name="Adopt it").click()
        expect(page.get_by_text("Adopted: v7 on flint")).to_be_visible()

        # All of it is there after a reload.
        page.reload()
        expect(page.get_by_text("Adopted: v7 on flint")).to_be_visible()
        expect(page.get_by_label("Lineage").get_by_text("adopted")).to_be_visible()
        self.assertEqual(Verdict.objects.get().reason, "It gives JSON.")
        self.open("/")
        expect(page.get_by_text("v7 adopted.")).to_be_visible()
        self.assertEqual(self.troubles, [])

    def choose(self, label: str, words: str) -> None:
        self.page.get_by_role("button", name=re.compile(f"^{label}: ")).click()
        self.page.get_by_role("dialog").get_by_role("button", name=re.compile(words)).click()


class ScreensTest(BrowserTest):
    """Every main screen once, in both themes."""

    def test_no_violation_on_any_main_screen(self):
        brief = Brief.objects.get(name="Message triage")
        from nomikon.server.apps.connections.models import Model
        from tests.server.base import start

        models = list(Model.objects.values_list("id", flat=True))[:2]
        trial = start(brief, versions=[1, 4], models=models)
        wait_until(lambda: Trial.objects.get(pk=trial.pk).state == "complete", 180, "the trial")
        base = f"/briefs/{brief.pk}"
        screens = [
            ("/", "Desk"),
            (f"{base}/brief", "The job"),
            (f"{base}/draft", "Version 6"),
            (f"{base}/draft?v=5&view=Versions&beside=6", "Version 5"),
            (f"{base}/draft?view=As+sent", "Version 6"),
            ("/shelf", "Shelf"),
            (f"{base}/cases", "Passenger messages"),
            (f"{base}/trials", "Is it better?"),
            (f"{base}/trials/list", "1 trial"),
            (f"{base}/trials/plan", "Plan a trial"),
            (f"{base}/review", "Reading trial 1"),
            (f"{base}/verdict", re.compile("^Is ")),
            ("/models", "Models"),
            ("/ledger", "Ledger"),
        ]
        self.open("/")
        for path, heading in screens:
            with self.subTest(screen=path):
                self.open(path)
                expect(self.page.get_by_role("heading", name=heading).first).to_be_visible()
                self.page.wait_for_load_state("networkidle") if "draft" in path else None
                self.both_themes()
        self.open(f"{base}/trials")
        self.page.get_by_role("button", name=re.compile("^Case 1, arm A")).click()
        expect(self.page.get_by_role("article").get_by_text("Exactly as sent")).to_be_visible()
        self.both_themes()
        self.assertEqual(self.troubles, [])

    def both_themes(self):
        """The screen that is open, light and dark, without loading it twice."""
        for theme in ("light", "dark"):
            self.page.evaluate(f"document.documentElement.dataset.theme = '{theme}'")
            # A theme changes colours and nothing else.
            self.assertEqual(self.violations(colours_only=theme == "dark"), [], theme)


class WrongInputTest(BrowserTest):
    with_worker = False

    def test_refusals_stand_where_they_happened_and_lose_nothing(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        # An unclosed placeholder is told in the margin while typing, and not saved.
        self.open(f"/briefs/{brief.pk}/draft?v=1")
        page.get_by_label("Text of message 1, user").click()
        page.keyboard.press("Control+End")
        page.keyboard.type(" and {{vessel")
        expect(page.get_by_label("Margin").get_by_text("not closed with }}")).to_be_visible()
        page.keyboard.press("Control+s")
        page.get_by_role("button", name="Save the version").click()
        expect(page.get_by_role("alert")).to_contain_text("message 1")
        page.keyboard.press("Escape")
        expect(page.get_by_text("and {{vessel")).to_be_visible()
        # A setting out of range is told at its field.
        page.get_by_role("button", name="Settings sent with this version").click()
        page.get_by_label("Temperature").fill("9")
        expect(page.get_by_text("temperature is 9; allowed is from 0 to 2")).to_be_visible()
        page.get_by_role("button", name="Done").click()
        expect(page.get_by_text("T 9, at most 160: to be mended")).to_be_visible()
        # A file with rows of the wrong length: told by line, the good ones imported.
        self.open(f"/briefs/{brief.pk}/cases")
        page.get_by_role("button", name="Import cases…").click()
        chooser = page.get_by_label(re.compile("^CSV, JSON, JSON Lines"))
        chooser.set_input_files(
            files=[{"name": "a.csv", "mimeType": "text/csv", "buffer": b'message,n\n"open,2\n'}]
        )
        expect(page.get_by_role("alert")).to_contain_text("not closed")
        chooser.set_input_files(
            files=[
                {
                    "name": "b.csv",
                    "mimeType": "text/csv",
                    "buffer": b"text,reference\nA new message,{}\nragged\n",
                }
            ]
        )
        expect(page.get_by_text("1 row refused, the good ones are kept")).to_be_visible()
        expect(page.get_by_text("No column fills message")).to_be_visible()
        page.get_by_label("Placeholder filled by text").fill("message")
        expect(page.get_by_text("No column fills message")).to_be_hidden()
        page.get_by_role("button", name="Import 1 row").click()
        expect(page.get_by_text("1 case imported as version 2")).to_be_visible()
        # The worker is not running: the page says so.
        expect(page.get_by_text("stopped")).to_be_visible()
        self.assertEqual(Brief.objects.get(pk=brief.pk).versions.count(), 6)
