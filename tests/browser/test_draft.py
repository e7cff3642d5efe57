"""The draft as people use it: findings, amendments, keeping, steps, trying out, the shelf."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from nomikon.server.apps.briefs.models import Brief, WorkingCopy
from tests.browser.driver import BrowserTest


class DraftTest(BrowserTest):
    def setUp(self):
        super().setUp()
        # What the test before left unsaved.
        WorkingCopy.objects.all().delete()

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

    def test_it_does_what_is_asked_from_anywhere_and_finds_texts(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")

        def choose(words, option):
            page.keyboard.press("Control+k")
            page.get_by_role("combobox", name="Find a brief").fill(words)
            expect(page.get_by_role("option", name=option).first).to_be_visible()
            page.get_by_role("option", name=option).first.click()

        # From the desk to a sheet of the models page.
        page.goto(self.address)
        expect(page.get_by_role("heading", name="Desk")).to_be_visible()
        choose("add conn", "Add a connection and its models")
        expect(page.get_by_role("dialog", name="New connection")).to_be_visible()
        page.keyboard.press("Escape")
        # On the draft it acts at once; on another stage it goes there first, with the version.
        page.goto(f"{self.address}/briefs/{brief.pk}/cases?v=2")
        expect(page.get_by_role("grid", name="Cases")).to_be_visible()
        choose("request code", "Prompt files in and out")
        expect(page.get_by_role("dialog", name="Take along")).to_be_visible()
        expect(page.locator("h1", has_text="Version 2")).to_be_attached()
        page.keyboard.press("Escape")
        # What stands in a case leads to it, opened.
        choose("case 7", re.compile("^Case 7"))
        case = page.get_by_role("dialog", name="Case 7")
        expect(case).to_be_visible()
        page.keyboard.press("Escape")
        # What is pressed before it is gone still goes into its field.
        expect(case).to_have_count(0)
        # Every key of the screens stands on the sheet.
        page.keyboard.press("?")
        sheet = page.get_by_role("dialog", name="Keys")
        expect(sheet.get_by_text("make the mark a precedent")).to_be_visible()
        self.assertEqual(self.troubles, [])

    def test_an_unsaved_text_is_tried_on_two_models_beside_the_saved_one(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        page.goto(f"{self.address}/briefs/{brief.pk}/draft?v=3")
        text = page.get_by_label("Text of message 1, system")
        text.click()
        page.keyboard.press("Control+End")
        page.keyboard.type("\nWrite every value in upper case.")
        answers = page.get_by_role("region", name="Answers")
        answers.get_by_role("button", name=re.compile("^Settings: ")).click()
        page.get_by_label("also v3 as saved").check()
        page.keyboard.press("Escape")
        expect(answers.get_by_role("button", name="Ask 4, free, simulated")).to_be_visible()
        page.keyboard.press("Control+Enter")
        for name in ("standin-pebble", "standin-pebble, v3 as saved", "standin-cobble"):
            column = answers.get_by_role("region", name=name, exact=True)
            expect(column.get_by_text("complete ·")).to_be_visible()
            expect(column.locator("pre")).to_contain_text("{")
        # It is judged where it stands, and asked again the first answers stay.
        first = answers.get_by_role("article", name="Answer of standin-cobble", exact=True)
        # It can be judged once it is kept.
        expect(first.get_by_role("button", name="bad")).to_be_visible()
        first.focus()
        page.keyboard.press("b")
        expect(first.get_by_role("button", name="bad")).to_have_attribute("aria-pressed", "true")
        first.get_by_label("What is to be said of it").fill("the port is missing")
        page.keyboard.press("Enter")
        first.get_by_role("button", name="best of these").click()
        expect(first.get_by_role("button", name="best of these")).to_have_attribute(
            "aria-pressed", "true"
        )
        self.assertEqual(self.violations(), [])
        text.click()
        page.keyboard.press("Control+End")
        page.keyboard.type(" Always.")
        page.keyboard.press("Control+Enter")
        expect(answers.get_by_text("try 2 of 2")).to_be_visible()
        # Back after a detour and a reload, with what was said of them and of which text they are.
        page.get_by_role("tab", name="Versions").click()
        page.get_by_role("tab", name="Text").click()
        page.reload()
        expect(answers.get_by_text("try 2 of 2")).to_be_visible()
        page.keyboard.press("Alt+ArrowLeft")
        expect(answers.get_by_text("try 1 of 2")).to_be_visible()
        expect(first.get_by_label("What is to be said of it")).to_have_value("the port is missing")
        expect(answers.get_by_text("of another text (v3, changed)")).to_be_visible()
        page.keyboard.press("Alt+ArrowRight")
        answers.get_by_role("button", name="beside the one before").click()
        before = answers.get_by_role("region", name="Try 1")
        expect(before.get_by_role("article")).to_have_count(4)
        said = [a for a in brief.tries.get(number=1).answers if a["judgement"]]
        self.assertEqual([(a["judgement"], a["best"]) for a in said], [("bad", True)])
        # What it cost is in the ledger, and nothing was saved.
        page.goto(f"{self.address}/ledger")
        expect(
            page.get_by_text("Draft tried on standin-cobble, standin-pebble: 4 answers").first
        ).to_be_visible()
        self.assertEqual(brief.versions.count(), 6)
        self.assertEqual(self.troubles, [])

    def test_rules_are_read_put_right_checked_and_wished_otherwise(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        page.goto(f"{self.address}/briefs/{brief.pk}/draft?v=3&margin=read")
        text = page.get_by_label("Text of message 1, system")
        text.click()
        page.keyboard.press("Control+End")
        page.keyboard.type(
            "\nUse at most 9 words. No exclamation marks. Keep it within 3 lines or so."
        )
        margin = page.get_by_label("Margin")
        expect(margin.get_by_text("at most 9 words")).to_be_visible()
        expect(margin.get_by_text("without ! ¡")).to_be_visible()
        # One is put right in place: it stands for these words from then on.
        line = margin.get_by_role("listitem").filter(has_text="at most 3 lines")
        line.get_by_role("button", name="Put right…").click(force=True)
        line.get_by_label("At most").fill("4")
        line.get_by_role("button", name="So it is").click()
        expect(margin.get_by_text("at most 4 lines")).to_be_visible()
        expect(margin.get_by_text("said by a person")).to_be_visible()
        brief.refresh_from_db()
        self.assertEqual(brief.readings[0]["value"]["high"], 4)
        self.assertEqual(self.violations(), [])
        # All that is not measured goes onto the scorecard; no call is made.
        margin.get_by_role("button", name="Check all 3").click()
        expect(margin.get_by_text("measured", exact=True)).to_have_count(4)
        card = brief.scorecards.order_by("-number").first().document["measures"]
        self.assertEqual([m["measure"] for m in card[-3:]], ["length", "length", "no-characters"])

        # Two wishes are taken, one is left, and one that no rule can read is told.
        wishes = page.get_by_role("region", name="Wishes")
        for wish in (
            "at most 7 words",
            "add the category weather",
            "answer in German",
            "make it better",
        ):
            page.keyboard.press("Alt+w")
            page.keyboard.type(wish)
            page.keyboard.press("Enter")
        expect(wishes.get_by_text("no rule can tell what is to change")).to_be_visible()
        # What is proposed stands in the margin beside its line, whatever layer was there.
        expect(wishes.get_by_text("3 changes proposed in the margin")).to_be_visible()
        self.assertEqual(self.violations(), [])
        proposed = margin.locator("div[data-tone]").filter(has_text="Wished:")
        expect(proposed).to_have_count(3)
        proposed.filter(has_text="other, weather").get_by_role("button", name="Take").click()
        expect(text.get_by_text("other, weather.")).to_be_visible()
        proposed.filter(has_text="at most 7 words").get_by_role("button", name="Take").click()
        expect(text.get_by_text("at most 7 words")).to_be_visible()
        # The last is tried on three cases before anything is taken, and left.
        wishes.get_by_role("button", name="Try on three cases…").click()
        wishes.get_by_role("button", name="Try both on 3 cases, free, simulated").click()
        expect(wishes.get_by_text("with what is proposed")).to_have_count(3)
        expect(wishes.get_by_text("complete")).to_have_count(6)
        proposed.filter(has_text="Answer in German").get_by_role("button", name="Leave").click()
        expect(proposed).to_have_count(0)
        # A model is asked for the same wishes, with its price beside the press; nothing of it is taken.
        wishes.get_by_role("button", name="Ask a model for these wishes…").click()
        wishes.get_by_role("button", name="Propose changes for 4 wishes").click()
        said = wishes.get_by_role("list", name="Proposed by a model").get_by_role("listitem")
        expect(said.filter(has_text="Wished: make it better")).to_be_visible()
        self.assertEqual(self.violations(), [])
        number = brief.versions.count() + 1
        page.get_by_role("button", name=f"Save as v{number}…").click()
        page.get_by_role("button", name="Save the version").click()
        expect(page.get_by_role("heading", name=f"Version {number}", exact=True)).to_be_visible()
        made = brief.versions.get(number=number)
        reasons = {r["reason"] for r in made.reasons}
        self.assertEqual(reasons, {"Wished: add the category weather", "Wished: at most 7 words"})
        self.assertEqual(self.troubles, [])

    def test_edit_mend_save_compare_put_back_and_try(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        page.goto(f"{self.address}/briefs/{brief.pk}/draft?v=4")
        text = page.get_by_label("Text of message 1, system")
        margin = page.get_by_label("Margin")
        text.click()
        page.keyboard.press("Control+End")
        page.keyboard.type("\nTODO: ask the harbour office.\nNever name a member of the crew.")
        expect(margin.get_by_text("editing mark")).to_be_visible()
        # One amendment is put back, the other stays.
        margin.get_by_role("button", name="Changes 1").click()
        note = margin.locator("div[data-tone]").filter(has_text="added")
        expect(note).to_have_count(1)
        text.get_by_text("TODO: ask the harbour office.").click()
        page.keyboard.press("Home")
        page.keyboard.press("Shift+End")
        page.keyboard.press("Delete")
        page.keyboard.press("Delete")
        margin.get_by_role("button", name="To settle").click()
        expect(margin.get_by_text("editing mark")).to_have_count(0)
        margin.get_by_role("button", name="Changes").click()
        text.get_by_text("Use null for what the message does not say.").click()
        page.keyboard.press("End")
        page.keyboard.press("Backspace")
        page.keyboard.type(", or leaves open.")
        amended = margin.locator("div[data-tone]").filter(has_text="amended")
        expect(amended).to_contain_text(", or leaves open")
        page.get_by_role("button", name="Save as v7…").click()
        page.get_by_label("Note: what was changed and why").fill("crew kept out")
        page.get_by_role("button", name="Save the version").click()
        expect(page.get_by_role("heading", name="Version 7", exact=True)).to_be_visible()
        expect(margin.get_by_text("since v4")).to_have_count(2)
        amended.get_by_role("button", name="Undo this change").click()
        expect(text.get_by_text("Use null for what the message does not say.")).to_be_visible()
        expect(text.get_by_text("Never name a member of the crew.")).to_be_visible()
        page.keyboard.press("Control+Enter")
        answers = page.get_by_role("region", name="Answers")
        for name in ("standin-pebble", "standin-cobble"):
            column = answers.get_by_role("region", name=name, exact=True)
            expect(column.get_by_text("complete ·")).to_be_visible()
        self.assertEqual(brief.versions.get(number=7).parent.number, 4)
        self.assertEqual(self.troubles, [])

    def test_typed_text_is_kept_undone_after_a_reload_and_never_overwritten_by_another_tab(self):
        page = self.page
        brief = Brief.objects.get(name="Service notice")
        address = f"{self.address}/briefs/{brief.pk}/draft"
        page.goto(address)
        label = "Text of message 1, system"
        page.get_by_label(label).click()
        page.keyboard.press("Control+End")
        page.keyboard.type(" First thought.")
        expect(page.get_by_text("kept ·")).to_be_visible()
        page.wait_for_timeout(1000)
        page.keyboard.type(" Second thought.")
        expect(page.get_by_text("keeping…").or_(page.get_by_text("kept ·"))).to_be_visible()
        page.wait_for_timeout(1500)
        page.reload()
        text = page.get_by_label(label)
        expect(text).to_contain_text("First thought. Second thought.")
        page.keyboard.press("Control+z")
        expect(text).not_to_contain_text("Second thought.")
        expect(text).to_contain_text("First thought.")
        page.wait_for_timeout(1500)
        # Another tab goes on with the text; this one must not overwrite it unseen.
        other = self.context.new_page()
        other.goto(address)
        other.get_by_label(label).click()
        other.keyboard.press("Control+End")
        other.keyboard.type(" Theirs.")
        expect(other.get_by_text("kept ·")).to_be_visible()
        other.wait_for_timeout(1200)
        text.click()
        page.keyboard.press("Control+End")
        page.keyboard.type(" Mine.")
        clash = page.get_by_role("alert").filter(has_text="changed in another tab")
        expect(clash).to_be_visible()
        clash.get_by_role("button", name="Read the two").click()
        expect(clash.get_by_text("Theirs.")).to_be_visible()
        clash.get_by_role("button", name="Take the other text").click()
        expect(text).to_contain_text("Theirs.")
        page.keyboard.press("Control+z")
        expect(text).to_contain_text("Mine.")
        self.assertEqual(self.troubles, [])

    def test_steps_pinned_cases_a_sweep_and_a_text_from_the_shelf(self):
        page = self.page
        brief = Brief.objects.get(name="Service notice")
        page.goto(f"{self.address}/briefs/{brief.pk}/draft")
        page.get_by_role("button", name="+ Message or step").click()
        page.get_by_role("button", name="Add a step").click()
        expect(page.get_by_text("2 calls in a row:")).to_be_visible()
        page.get_by_role("button", name="first", exact=True).click()
        page.get_by_label("Name of step 1").fill("notice")
        page.keyboard.press("Enter")
        expect(page.get_by_label("Text of message 3, user")).to_contain_text("{{steps.notice}}")
        page.get_by_label("Text of message 3, user").click()
        page.keyboard.press("Control+Home")
        page.keyboard.type("Reply with one JSON object with the key vessel. Notice: ")
        answers = page.get_by_role("region", name="Answers")
        answers.get_by_role("button", name="To what").click()
        page.get_by_role("radio", name="kept cases").click()
        for n in (1, 2):
            page.get_by_role("button", name="Keep it").click()
            expect(page.get_by_role("button", name=f"Ask {n} kept")).to_be_visible()
            page.get_by_label("next case").click()
        page.keyboard.press("Alt+p")
        expect(page.get_by_text("2 of 2 answers differ from v2")).to_be_visible()
        answers.get_by_role("button", name="To what").click()
        page.get_by_role("radio", name="several values").click()
        answers.get_by_label("Values of log, one a line").fill(
            "Saltwife sails at noon\nHarrier is late"
        )
        page.get_by_role("button", name="Ask 2 answers, free, simulated").click()
        row = page.get_by_role("row", name="Harrier is late")
        expect(row.get_by_text("complete ·")).to_be_visible()
        # What each step answered stands above it, and the step after it can be tried from there alone.
        expect(row.get_by_text("Step “notice”")).to_be_visible()
        page.reload()
        expect(row.get_by_text("complete ·")).to_be_visible()
        page.goto(f"{self.address}/shelf")
        page.get_by_label("Words", exact=True).fill("invoice")
        begin = page.get_by_role("button", name="Begin with it…")
        expect(begin).to_have_count(1)
        begin.click()
        page.get_by_role("button", name="Begin", exact=True).click()
        expect(page.get_by_role("heading", name="Version 1", exact=True)).to_be_visible()
        expect(page.get_by_label("Text of message 1, system")).to_contain_text("You read invoices.")
        made = Brief.objects.get(name="Invoice fields").versions.get()
        self.assertEqual((made.settings, made.origin), ({"temperature": 0.0}, "imported"))
        self.assertEqual(self.troubles, [])
