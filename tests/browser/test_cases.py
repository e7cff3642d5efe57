"""Cases by the real interface: a messy file in, the grid by keyboard, cases proposed, the board scored anew."""

from __future__ import annotations

import csv
import io
import re
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.models import CaseRevision, ReferenceCorrection
from nomikon.server.apps.reviews.models import ReferenceDraft
from nomikon.server.apps.trials.models import Call, Trial
from tests.browser.driver import BrowserTest
from tests.processes import wait_until

MESSY = """text;Right answer;part;tags;n
"Third time this week the 07:15 was late; I am done.";delay;working;angry;1
Where is my red rucksack?;lost item;held out;clear;2
ragged;row
Can I swap Sunday for Monday?;booking change;;clear;3
;;;;
The lift on the Saltwife is broken AGAIN, Malmö;accessibility;working;sarcastic;4
"""


class CasesTest(BrowserTest):
    def test_a_messy_file_comes_in_and_the_grid_is_worked_by_keyboard(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        self.open(f"/briefs/{brief.pk}/cases")
        grid = page.get_by_role("grid", name="Cases")
        expect(grid).to_be_visible()

        # The file is in another encoding, parted by semicolons, with rows that are none.
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "messy.csv"
            file.write_bytes(MESSY.encode("cp1252"))
            page.get_by_role("button", name="Import cases…").click()
            page.get_by_label("CSV, JSON, JSON Lines or XLSX").set_input_files(file)
            expect(page.get_by_text("1 row refused, the good ones are kept")).to_be_visible()
            expect(page.get_by_text("No column fills message")).to_be_visible()
            page.get_by_label("Placeholder filled by text").fill("message")
            expect(page.get_by_text("No column fills message")).not_to_be_visible()
            page.get_by_label("What column n is").select_option("leave-out")
            self.assertEqual(page.get_by_label("What column part is").input_value(), "split")
            page.get_by_label("What column Right answer is").select_option("reference")
            self.assertEqual(self.violations(), [])
            page.get_by_role("button", name=re.compile(r"^Import \d rows")).click()
            expect(page.get_by_text("4 cases imported as version 2")).to_be_visible()
            # A refused line is put right where it is told, comes in, and goes again in one press.
            lines = page.get_by_role("region", name="Refused lines")
            expect(lines.get_by_text(re.compile("every input is empty"))).to_be_visible()
            lines.get_by_label("text of line 6").fill("Typed in its place")
            self.assertEqual(self.violations(), [])
            lines.get_by_role("button", name="Take 1 line in").click()
            expect(page.get_by_text("1 case imported as version 3")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_text("165 cases", exact=True)).to_be_visible()
        page.get_by_role("button", name="Take it back").click()
        page.get_by_label("Find in cases").fill("malmö")
        expect(page.get_by_text("1 of 164 cases")).to_be_visible()

        # Edited in place: type, keep, undo; the former text is back.
        grid.focus()
        page.keyboard.press("Enter")
        page.keyboard.press("Control+a")
        page.keyboard.type("The lift is mended")
        page.keyboard.press("Enter")
        expect(grid.get_by_text("The lift is mended")).to_be_visible()
        mended = CaseRevision.objects.filter(inputs__message="The lift is mended")
        wait_until(mended.exists, what="the edit in the database")
        expect(page.get_by_role("button", name=re.compile("^Undo"))).to_be_enabled()
        grid.focus()
        page.keyboard.press("Control+z")
        expect(grid.get_by_text("The lift on the Saltwife is broken AGAIN, Malmö")).to_be_visible()

        # Two rows laid down at the end become cases; one press takes both out again.
        page.get_by_label("Find in cases").fill("")
        expect(page.get_by_text("164 cases", exact=True)).to_be_visible()
        grid.focus()
        page.keyboard.press("Control+End")
        page.keyboard.press("Home")
        page.keyboard.press("ArrowDown")
        page.evaluate(
            """() => {
              const data = new DataTransfer()
              data.setData('text/plain', 'One more\\tdelay\\nAnd another\\tother')
              document.activeElement.dispatchEvent(
                new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}))
            }"""
        )
        expect(page.get_by_text("166 cases", exact=True)).to_be_visible()
        expect(grid.get_by_text("And another")).to_be_visible()
        page.get_by_role("button", name=re.compile("^Undo")).click()
        expect(page.get_by_text("164 cases", exact=True)).to_be_visible()

        # Many at once: three rows held out, then what a column may hold.
        grid.focus()
        page.keyboard.press("Control+Home")
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Shift+ArrowDown")
        page.get_by_label("Tag", exact=True).fill("read twice")
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.get_by_label("Margin").get_by_text("read twice").first).to_be_visible()
        tagged = [r for r in CaseRevision.objects.all() if "read twice" in r.tags]
        self.assertEqual([r.case.number for r in tagged], [1, 2, 3])
        self.assertEqual(self.violations(), [])
        self.assertEqual(self.troubles, [])

    def test_what_is_right_is_written_by_two_and_what_is_thin_is_told(self):
        page = self.page
        dataset = Brief.objects.get(name="Message triage").datasets.earliest("pk")
        own = '{"category": "delay"}'
        CaseRevision.objects.filter(case__number__in=(1, 2)).update(reference=None)
        self.open(f"/briefs/{dataset.brief_id}/cases?dataset={dataset.pk}&references=")
        page.get_by_label("Written by").select_option("true")
        asked = page.get_by_role("region", name=re.compile("^Case"))
        first = asked.get_by_role("heading", name=re.compile("^Case")).inner_text()
        page.get_by_label("What is right").fill(own)
        page.keyboard.press("Control+Enter")
        expect(asked.get_by_role("heading", name=first)).not_to_be_visible()
        mine = ReferenceDraft.objects.get()
        self.assertEqual(mine.text, own)
        # Somebody else writes the same case differently: it is settled, by key.
        ReferenceDraft.objects.create(
            revision=mine.revision, reader="another", text='{"category": "other"}', forms=[],
            created_at=mine.created_at,
        )  # fmt: skip
        page.get_by_label("Cases", exact=True).select_option("differ")
        expect(asked.get_by_role("heading", name=first)).to_be_visible()
        expect(asked.get_by_text("another", exact=True)).to_be_visible()
        self.assertEqual(self.violations(), [])
        page.keyboard.press("Escape")
        page.keyboard.press("3")
        expect(page.get_by_text("Nothing to settle.")).to_be_visible()
        settled = CaseRevision.objects.get(forms__0__isnull=False)
        self.assertEqual({settled.reference, *settled.forms}, {own, '{"category": "other"}'})

        self.open(f"/briefs/{dataset.brief_id}/cases?dataset={dataset.pk}&missing=")
        expect(page.get_by_role("heading", name="By what the inputs are")).to_be_visible()
        expect(page.get_by_role("row", name=re.compile("^a question"))).to_be_visible()
        self.assertEqual(self.violations(), [])
        self.assertEqual(self.troubles, [])

    def test_an_exported_file_comes_back_changed_and_is_taken_back(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        dataset = brief.datasets.get()
        there = CaseRevision.objects.count()
        self.open(f"/briefs/{brief.pk}/cases")
        with page.expect_download() as download:
            page.get_by_role("link", name="CSV", exact=True).click()
        rows = list(csv.reader(io.StringIO(download.value.path().read_text("utf-8-sig"))))
        rows[3][1] = "Changed outside, ünd with a\nnew line"
        gone = rows.pop(5)[0]
        rows.append(["", "One more, brought in", *rows[1][2:]])
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "again.csv"
            with file.open("w", newline="") as out:
                csv.writer(out).writerows(rows)
            page.get_by_role("button", name="Import cases…").click()
            page.get_by_label("CSV, JSON, JSON Lines or XLSX").set_input_files(file)
            # A file with ids changes the cases that it speaks of, unless one says otherwise.
            expect(page.get_by_label("Each row")).to_have_value("id")
            page.get_by_label("Cases that no row speaks of").select_option("remove")
            page.get_by_role("button", name="See what would change").click()
            look = page.get_by_role("region", name="What would change")
            expect(look.get_by_text("1 changed")).to_be_visible()
            expect(look.get_by_text(re.compile(rf"taken out \({gone}\)"))).to_be_visible()
            expect(look.get_by_text("Changed outside")).to_be_visible()
            self.assertEqual(CaseRevision.objects.count(), there)
            self.assertEqual(self.violations(), [])
            page.get_by_role("button", name="Change 1, add 1, take out 1").click()
            expect(page.get_by_text("1 case changed, 1 case imported")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_role("grid").get_by_text("Changed outside")).to_be_visible()
        page.get_by_role("button", name="Take it back").click()
        expect(page.get_by_role("grid").get_by_text("Changed outside")).to_have_count(0)
        expect(page.get_by_role("button", name="Take it back")).to_have_count(0)
        # A further dataset is opened, named and chosen in the page.
        page.get_by_role("button", name=f"Dataset: {dataset.name}").click()
        page.get_by_role("button", name="Another dataset…").click()
        page.get_by_label("Name of the further dataset").fill("March logs")
        page.get_by_role("button", name="Open it").click()
        expect(page.get_by_role("button", name="Dataset: March logs")).to_be_visible()
        expect(page.get_by_text("This dataset is empty.")).to_be_visible()

        # Every row is every row that matches, also those that the grid has not read.
        rows = ["message", *(f"message {n}" for n in range(900))]
        page.get_by_role("button", name="Import cases…").click()
        page.get_by_label("CSV, JSON, JSON Lines or XLSX").set_input_files(
            files=[{"name": "many.csv", "mimeType": "text/csv", "buffer": "\n".join(rows).encode()}]
        )
        page.get_by_role("button", name="Import 900 rows").click()
        expect(page.get_by_text("900 cases imported")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_label("Margin").get_by_text("900 cases without a ref")).to_be_visible()
        page.get_by_role("grid", name="Cases").focus()
        page.keyboard.press("Control+a")
        page.get_by_label("Tag", exact=True).fill("March")
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.get_by_text("tag March put on 900 cases")).to_be_visible()
        expect(page.get_by_label("Margin").get_by_text("1 tag on 900 cases")).to_be_visible()
        page.get_by_role("button", name="Take it back").click()
        expect(page.get_by_text("tag March put on")).to_have_count(0)
        expect(page.get_by_text("900 cases", exact=True).first).to_be_visible()
        self.assertEqual(self.troubles, [])

    def test_proposed_cases_are_taken_one_by_one(self):
        page = self.page
        brief = Brief.objects.get(name="Service notice")
        self.open(f"/briefs/{brief.pk}/cases")
        page.get_by_role("button", name="Propose cases…").click()
        page.get_by_label("How many").fill("4")
        expect(page.get_by_text("at most € ")).to_be_visible()
        page.get_by_text("Read or change what is asked").click()
        asked = page.get_by_label("Instruction")
        expect(asked).to_have_value(re.compile("You write test cases"))
        page.get_by_role("button", name="Propose cases").click()
        expect(page.get_by_role("heading", name="4 proposals")).to_be_visible()
        first = page.get_by_role("article", name="Proposal 1")
        first.get_by_role("button", name="Change it").click()
        first.get_by_label("log").fill("12:00 Harrier: fog. Next 14:00.")
        first.get_by_role("button", name="Take it").click()
        expect(first.get_by_text("Taken, as a working case")).to_be_visible()
        page.get_by_role("article", name="Proposal 2").get_by_role(
            "button", name="Leave it"
        ).click()
        expect(page.get_by_text("2 to settle")).to_be_visible()
        self.assertEqual(self.violations(), [])
        made = CaseRevision.objects.get(inputs__log="12:00 Harrier: fog. Next 14:00.")
        self.assertIn("proposed", made.tags)
        self.assertEqual(self.troubles, [])


class RescoredTest(BrowserTest):
    def test_a_changed_scorecard_scores_the_board_anew_and_a_reference_is_put_right(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        self.open(f"/briefs/{brief.pk}/trials/plan")
        page.get_by_label(re.compile("^v4 ")).uncheck()
        page.get_by_label(re.compile("^standin-pebble")).check()
        page.get_by_role("button", name="Start 120 calls").click()
        expect(page.get_by_text("complete")).to_be_visible(timeout=120_000)
        calls = Call.objects.count()

        # A scorecard with another measure and a threshold; a wrong field says so where it is.
        self.open(f"/briefs/{brief.pk}/brief")
        page.get_by_role("button", name="Change…").click()
        page.get_by_role("button", name="Add a measure").click()
        page.get_by_label("Measure", exact=True).last.select_option("length")
        page.get_by_label(re.compile("^max: greatest length")).fill("many")
        page.get_by_role("button", name="Save as a new scorecard").click()
        expect(
            page.get_by_text("“many” is no whole number").or_(
                page.get_by_text("“many” is no number")
            )
        ).to_be_visible()
        page.get_by_label(re.compile("^max: greatest length")).fill("5")
        page.get_by_role("button", name="Save as a new scorecard").click()
        expect(page.get_by_role("heading", name="Scorecard 2")).to_be_visible()
        self.assertEqual(self.violations(), [])

        trial = Trial.objects.get()
        self.open(f"/briefs/{brief.pk}/trials/{trial.pk}")
        page.get_by_role("button", name="More…").click()
        page.get_by_role("menuitem", name="Score by another card…").click()
        page.get_by_role("button", name="Score", exact=True).click()
        expect(page.get_by_text("120 answers scored anew")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_text(re.compile("scorecard 2$"))).to_be_visible()
        expect(page.get_by_role("cell", name=re.compile("missed|unsure|met")).first).to_be_visible()

        # One key puts a reference right; nothing is asked again.
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Reference")).to_be_visible()
        page.keyboard.press("r")
        page.get_by_role("button", name="Take this answer as the reference").click()
        page.get_by_label("Why, kept with it").fill("the answer is right")
        page.get_by_role("button", name=re.compile("^Put it right")).click()
        expect(page.get_by_text("1 answer scored again without a call")).to_be_visible()
        self.assertEqual(ReferenceCorrection.objects.get().reason, "the answer is right")
        self.assertEqual(Call.objects.count(), calls)
        self.assertEqual(self.violations(), [])
        self.assertEqual(self.troubles, [])
