"""Answers from elsewhere by the real interface: typed beside the cases, brought in, held against a version."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from nomikon.server.apps.baselines.models import BaselineAnswer
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.trials.models import COMPLETE, Call, Trial
from tests.browser.driver import BrowserTest
from tests.processes import wait_until

RIGHT = '{"category": "delay", "urgency": "normal", "vessel": "Harrier", "sailing": "11:50"}'


CHATS = """chat id;turn;who;message
1;1;Fahrgast;Fährt das Schiff um fünf?
1;2;Mitarbeiter;Ja.
1;3;Fahrgast;"Und
morgen?"
1;4;Mitarbeiter;Auch.
2;1;Fahrgast;Mein Hut ist weg!
2;2;Mitarbeiter;Wo saßen Sie?
"""


class BaselineTest(BrowserTest):
    def test_a_sheet_is_filled_and_a_version_held_against_it(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        self.open(f"/briefs/{brief.pk}/cases")
        page.get_by_role("link", name="Answers from elsewhere…").click()
        page.get_by_role("button", name="Begin").click()
        expect(
            page.get_by_text("say in a word or two who or what gave the answers")
        ).to_be_visible()
        page.get_by_label("Who or what gave them").fill("By hand")
        page.get_by_role("button", name="Begin").click()
        # Typed by keyboard alone; what is wanted is not in sight.
        page.get_by_label("Answer to case 1", exact=True).fill(RIGHT)
        page.keyboard.press("Control+Enter")
        expect(page.get_by_label("Answer to case 2", exact=True)).to_be_focused()
        expect(page.get_by_text("1 of 160 cases answered")).to_be_visible()
        page.keyboard.type("a second one")
        expect(page.get_by_text("not kept yet")).to_be_visible()
        # Somebody else was quicker: both texts are there, nothing is overwritten.
        second = BaselineAnswer.objects.get()
        case = brief.datasets.first().cases.get(number=2)
        BaselineAnswer.objects.create(
            baseline=second.baseline, case=case, revision=case.revisions.first(), text="theirs",
            written_by="another", written_at=second.written_at,
        )  # fmt: skip
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("Somebody else wrote meanwhile: “theirs”.")).to_be_visible()
        self.assertEqual(self.violations(), [])
        page.get_by_role("button", name="Mine shall stand").click()
        page.get_by_label("Answer to case 2", exact=True).focus()
        page.get_by_label("Answer to case 3", exact=True).focus()
        expect(page.get_by_text("2 of 160 cases answered")).to_be_visible()
        wait_until(
            lambda: BaselineAnswer.objects.filter(text="a second one").exists(), 10, "the answer"
        )
        # The rest by file; a line of a case that is not there is told.
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "today.csv"
            lines = [f"{n};{RIGHT}" for n in range(3, 40)]
            file.write_text("\n".join(["id;answer", *lines, "999;none"]), encoding="utf-8")
            page.get_by_role("button", name="Bring in a file…").click()
            page.locator("input[type=file]").set_input_files(file)
            expect(page.get_by_text("there is no case '999' here")).to_be_visible()
            self.assertEqual(self.violations(), [])
            page.get_by_role("button", name="Take 37 answers in").click()
            expect(page.get_by_text("37 answers came in")).to_be_visible()
        page.keyboard.press("Escape")

        # One version is held against it; it is never asked.
        page.get_by_role("link", name="Hold a version against them…").click()
        for place in (0, 1):
            page.get_by_role("button", name="none", exact=True).nth(place).click()
        page.get_by_role("checkbox", name=re.compile("^v4 ")).check()
        page.get_by_role("checkbox", name=re.compile("^standin-flint")).check()
        expect(page.get_by_text(re.compile("[0-9]+ brought in"))).to_be_visible()
        expect(page.get_by_label("The others are held against")).to_have_value(
            f"baseline {second.baseline.pk}"
        )
        page.get_by_role("button", name=re.compile("^Start 120 calls")).click()
        wait_until(lambda: Trial.objects.filter(state=COMPLETE).exists(), 60, "the trial")
        trial = Trial.objects.get()
        self.assertFalse(Call.objects.filter(output__arm__baseline=second.baseline).exists())
        self.open(f"/briefs/{brief.pk}/trials/{trial.pk}")
        expect(page.get_by_text("brought in", exact=True).first).to_be_visible()
        self.open(f"/briefs/{brief.pk}/verdict?trial={trial.pk}")
        expect(page.get_by_label("Compared with: By hand")).to_be_visible()
        expect(
            page.get_by_text(re.compile("^v4 on flint scores .* than “By hand”"))
        ).to_be_visible()
        page.get_by_role("button", name="Swap").click()
        expect(page.get_by_text("There is nothing to adopt")).to_be_visible()
        self.assertEqual(self.violations(), [])
        self.a_chat_log_comes_in(brief)
        self.assertEqual(self.troubles, [])

    def a_chat_log_comes_in(self, brief):
        """What the users said become cases, shown before; what was answered becomes an arm."""
        page = self.page
        self.open(f"/briefs/{brief.pk}/cases")
        page.get_by_role("button", name="Import cases…").click()
        page.get_by_role("button", name="Bring in a log instead").click()
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "chats.csv"
            file.write_text(CHATS, encoding="cp1252")
            page.locator("input[type=file]").set_input_files(file)
            expect(page.get_by_text("2 conversations read as cp1252")).to_be_visible()
            page.get_by_label("A case is").select_option("each")
            expect(page.get_by_text("3 cases, 3 with an answer")).to_be_visible()
            self.assertEqual(self.violations(), [])
            page.get_by_label("Name of the answers").fill("The desk of today")
            page.get_by_role("button", name="Take 3 cases in").click()
            expect(page.get_by_text("3 cases came in")).to_be_visible()
        page.get_by_role("link", name="Look at the answers").click()
        expect(page.get_by_label("Answers from elsewhere: The desk of today")).to_be_visible()
        expect(page.get_by_text("3 of 163 cases answered")).to_be_visible()
