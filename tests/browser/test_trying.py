"""The daily loop of drafting: talks, alternatives fed on, versions beside each other, nothing lost."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.models import Brief, Try, TryForm, WorkingCopy
from nomikon.server.apps.datasets.models import CaseRevision
from tests.browser.driver import BrowserTest
from tests.server.base import who


class TryingTest(BrowserTest):
    def setUp(self):
        super().setUp()
        for model in (WorkingCopy, TryForm, Try):
            model.objects.all().delete()
        self.answers = self.page.get_by_role("region", name="Answers")

    def draft(self, name, query=""):
        brief = Brief.objects.get(name=name)
        self.page.goto(f"{self.address}/briefs/{brief.pk}/draft{query}")
        expect(self.answers.get_by_role("button", name="To what")).to_be_visible()
        return brief

    def ask_of(self, what):
        self.answers.get_by_role("button", name="To what").click()
        self.page.get_by_role("radio", name=what).click()

    def test_a_talk_is_branched_and_kept_as_a_case(self):
        page, answers = self.page, self.answers
        brief = self.draft("Message triage")
        self.ask_of("a talk")
        page.keyboard.press("Escape")
        answers.get_by_role("button", name=re.compile("^Begin, free")).click()
        turn = answers.get_by_label("Turn 2, what the user says")
        expect(turn).to_be_visible()
        turn.fill("And if the 9:10 is late?")
        expect(answers.get_by_role("button", name="Say turn 2, free, simulated")).to_be_enabled()
        page.keyboard.press("Control+Enter")
        expect(answers.get_by_text("try 2 of 2")).to_be_visible()
        expect(answers.get_by_label("Turn 3, what the user says")).to_be_visible()
        # Back to the second turn, said otherwise: the former course stays a try of its own.
        answers.get_by_role("button", name="say it otherwise").click()
        again = answers.get_by_label("Turn 2, what the user says")
        expect(again).to_have_value("And if the 9:10 is late?")
        again.fill("And if I lose my ticket?")
        expect(answers.get_by_role("button", name="Say turn 2, free, simulated")).to_be_enabled()
        page.keyboard.press("Control+Enter")
        expect(answers.get_by_text("try 3 of 3")).to_be_visible()
        talks = list(Try.objects.order_by("number").values_list("talk", "after__number"))
        said = [[t["content"] for t in talk if t["role"] == "user"] for talk, _ in talks]
        self.assertEqual(said, [[], ["And if the 9:10 is late?"], ["And if I lose my ticket?"]])
        self.assertEqual([after for _, after in talks], [None, 1, 2])
        answers.get_by_role("button", name="Keep the talk as a case").click()
        expect(answers.get_by_text("as a case of 1 turn")).to_be_visible()
        kept = CaseRevision.objects.exclude(conversation=None).order_by("-id").first()
        self.assertEqual(kept.conversation, ["And if I lose my ticket?"])
        self.assertEqual(kept.case.dataset.brief, brief)
        self.assertEqual(self.violations(), [])
        self.assertEqual(self.troubles, [])

    def test_ten_more_are_asked_for_and_one_of_them_is_fed_on(self):
        page, answers = self.page, self.answers
        brief = self.draft("Service notice")
        answers.get_by_role("button", name=re.compile("^Ask")).click()
        card = answers.get_by_role("article").first
        expect(card.get_by_text("complete ·")).to_be_visible()
        card.get_by_role("button", name="Feed on…").click()
        card.get_by_role("button", name=re.compile("^Ten more like it, .*free, simulated")).click()
        expect(answers.get_by_text("try 2 of 2")).to_be_visible()
        last = Try.objects.get(number=2)
        self.assertEqual([t["role"] for t in last.talk], ["assistant", "user"])
        self.assertIn("Write 10 more", last.talk[-1]["content"])
        # Words of the answer go into the collection, and from there into the text.
        card = answers.get_by_role("article").last
        card.get_by_role("button", name="Feed on…").click()
        card.get_by_role("button", name="Into the collection").click()
        expect(card.get_by_text("the collection holds 1 piece")).to_be_visible()
        card.get_by_role("button", name="Open it").click()
        sheet = page.get_by_role("dialog", name="Collection")
        sheet.get_by_role("button", name="Put together at the end of the text").click()
        sheet.get_by_role("button", name="Close").click()
        text = brief.pieces.get().text.strip()
        expect(page.get_by_label("Text of message 2, user")).to_contain_text(text[:40])
        # A next step takes the answer as its input, and each step's answer is told.
        card.get_by_role("button", name="Into a next step").click()
        expect(page.get_by_label("Text of message 3, user")).to_contain_text("{{steps.")
        self.ask_of("one case")
        page.keyboard.press("Escape")
        answers.get_by_role("button", name=re.compile("^Ask")).click()
        expect(answers.get_by_text(re.compile("Step “.+”")).first).to_be_visible()
        self.assertEqual(self.troubles, [])

    def test_what_is_typed_and_asked_survives_every_detour(self):
        page, answers = self.page, self.answers
        brief = self.draft("Message triage")
        self.ask_of("what I type")
        page.keyboard.press("Escape")
        field = answers.get_by_role("textbox", name="message")
        field.fill("My hat flew away")
        # A change of view.
        page.get_by_role("tab", name="Versions").click()
        page.get_by_role("tab", name="Text").click()
        expect(field).to_have_value("My hat flew away")
        # A reload right after the last letter, before a pause has come.
        field.fill("My hat flew away at Neap")
        page.reload()
        expect(field).to_have_value("My hat flew away at Neap")
        # Another machine, and a tab that knows less.
        other = self.context.new_page()
        other.goto(page.url)
        there = other.get_by_role("region", name="Answers")
        expect(there.get_by_role("textbox", name="message")).to_have_value(
            "My hat flew away at Neap"
        )
        there.get_by_role("textbox", name="message").fill("My umbrella")
        expect(there.get_by_role("textbox", name="message")).to_have_value("My umbrella")
        form = TryForm.objects.get(brief=brief)
        for _ in range(100):
            form.refresh_from_db()
            if form.content["typed"]["message"] == "My umbrella":
                break
            page.wait_for_timeout(100)
        field.fill("My scarf")
        answers.get_by_role("button", name="Keep what stands here").click()
        expect(field).to_have_value("My scarf")
        # What is under way goes on when the page is left, and saving changes nothing of it.
        answers.get_by_role("button", name=re.compile("^Ask")).click()
        # It has begun once the server knows of it.
        for _ in range(300):
            if Try.objects.exists():
                break
            page.wait_for_timeout(100)
        page.goto(f"{self.address}/ledger")
        page.goto(f"{self.address}/briefs/{brief.pk}/draft")
        expect(answers.get_by_text("complete ·").first).to_be_visible()
        self.assertEqual(Try.objects.get().inputs, {"message": "My scarf"})
        self.assertEqual(self.troubles, [])

    def test_four_versions_stand_side_by_side_and_are_found_by_their_words(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        SaveVersion(
            brief, [{"role": "user", "content": "Begun anew: {{message}}"}], {}, None, "",
            **who(),
        ).execute()  # fmt: skip
        self.draft("Message triage", "?v=4")
        page.get_by_role("tab", name="Versions").click()
        page.get_by_role("button", name="Beside which versions").click()
        page.get_by_label("Find versions").fill("begun anew")
        expect(page.get_by_role("list", name="Versions").get_by_role("listitem")).to_have_count(1)
        page.get_by_label("Find versions").fill("")
        for number in (6, 5, 7):
            page.get_by_role("checkbox", name=re.compile(f"^v{number} ")).click()
        page.keyboard.press("Escape")
        side = page.get_by_role("region", name="Side by side")
        expect(side.get_by_role("columnheader")).to_have_count(4)
        expect(side.get_by_text("v6 adds").first).to_be_visible()
        expect(side.get_by_text("v7 begun anew")).to_be_visible()
        expect(side.get_by_text("v5 does not say it").first).to_be_visible()
        page.reload()
        expect(side.get_by_role("columnheader")).to_have_count(4)
        self.assertEqual(self.violations(), [])
        self.assertEqual(self.troubles, [])
