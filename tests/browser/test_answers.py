"""A trial of some cases watched from its first answer, and its answers worked through by keys."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.trials.models import Output, Trial
from tests.browser.driver import BrowserTest
from tests.processes import wait_until
from tests.server.base import start


class SomeCasesTest(BrowserTest):
    def test_thirty_at_random_two_repeats_paused_by_budget_gone_on_and_then_the_rest(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        self.open(f"/briefs/{brief.pk}/trials/plan")
        page.get_by_label(re.compile("^v4 ")).uncheck()
        page.get_by_label(re.compile("^standin-boulder")).check()
        page.get_by_label("Which of them").select_option("random")
        page.get_by_label("How many").fill("3o")
        expect(page.get_by_text("say how many cases").first).to_be_visible()
        page.get_by_label("How many").fill("30")
        page.get_by_label("Repeats").fill("2")
        # Two values in one field are two arms.
        page.get_by_label("Temperature").fill("0, 0.7")
        page.get_by_label("Budget, if any").fill("0.03")
        begin = page.get_by_role("button", name="Start 120 calls")
        expect(begin).to_be_enabled()
        expect(page.get_by_text(re.compile("^2 × 30 cases"))).to_be_visible()
        begin.click()

        # Alive from the first answer: scores stand there before any case is whole.
        rows = page.get_by_role("region", name="Arms").get_by_role("row")
        expect(rows.filter(has_text="v6 at T 0.7")).to_be_visible()
        expect(page.get_by_text("the budget is spent")).to_be_visible(timeout=120_000)
        self.assertLess(Output.objects.count(), 120)
        expect(rows.filter(has_text="v6 at T 0.7").get_by_role("img")).to_be_visible()
        expect(page.get_by_text(re.compile("is highest so far"))).to_be_visible()
        # Reached from the list, too.
        page.get_by_role("button", name="More…").click()
        page.get_by_role("menuitem", name="All trials of this brief").click()
        expect(page.get_by_text("30 cases (30 at random, seed 0) × 2")).to_be_visible()
        page.get_by_role("link", name="Trial 1").click()
        page.get_by_label("New budget of this trial").fill("5")
        page.get_by_role("button", name="Go on").click()
        expect(page.get_by_text("120 of 120 · complete")).to_be_visible(timeout=120_000)

        page.get_by_role("button", name="The rest too…").click()
        page.get_by_role("button", name="Add 360 answers").click()
        expect(page.get_by_text("480 of 480 · complete")).to_be_visible(timeout=180_000)
        trial = Trial.objects.get()
        self.assertEqual((trial.n_cases, trial.sample), (120, None))
        self.assertEqual(Output.every.count(), 480)
        # A plan of this brief begins with its last choices; another like this one with all of them.
        page.get_by_role("link", name="Plan a trial…").click()
        expect(page.get_by_label(re.compile("^standin-boulder"))).to_be_checked()
        expect(page.get_by_label("Repeats")).to_have_value("2")
        self.assertEqual(self.troubles, [])


class WorkedThroughTest(BrowserTest):
    def test_filter_open_side_by_side_mark_next_by_keys_and_a_reload_restores_it(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        models = [Model.objects.get(name="standin-boulder").pk]
        trial = start(brief, versions=[4, 6], models=models)
        wait_until(lambda: Trial.objects.get(pk=trial.pk).state == "complete", 180, "the trial")
        self.open(f"/briefs/{brief.pk}/trials/{trial.pk}")
        sentence = page.get_by_role("button", name=re.compile("^Which cases"))
        sentence.click()
        page.get_by_label("arms score differently").click()
        page.get_by_label("Words in an answer, an input or what is wanted").fill("the")
        page.keyboard.press("Escape")
        page.get_by_role("button", name=re.compile("^In which order")).click()
        page.get_by_label("where they differ most").click()
        expect(page).to_have_url(re.compile("differ=yes"))
        expect(page).to_have_url(re.compile("order=differ"))
        expect(sentence).to_have_text(re.compile(r"^\d+ of 120 cases: “the”, scored differently"))

        # The first cell opens its case, both answers beside each other.
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowUp")
        page.keyboard.press("Enter")
        case = page.get_by_role("article", name=re.compile("^Case "))
        answers = case.get_by_role("region", name=re.compile("^Answer [12]: v[46]$"))
        expect(answers).to_have_count(2)
        expect(case.get_by_text("only there")).to_be_visible()
        opened = case.get_attribute("aria-label")
        page.keyboard.press("d")
        expect(page).to_have_url(re.compile("vs=other"))
        page.keyboard.press("ArrowRight")
        expect(page.get_by_role("heading", name=re.compile("^Answer 2: "))).to_be_visible()
        page.keyboard.press("c")
        page.keyboard.type("wrong field")
        page.keyboard.press("Escape")
        page.keyboard.press("b")
        wait_until(lambda: Mark.objects.count() == 1, what="a mark stored")
        mark = Mark.objects.get()
        self.assertEqual((mark.judgement, mark.comment, mark.drawn), ("bad", "wrong field", False))
        expect(page.get_by_role("button", name="bad", pressed=True)).to_be_visible()

        # The next one by key; a reload, and the way back, stand where they stood.
        page.keyboard.press("ArrowDown")
        expect(case).not_to_have_attribute("aria-label", opened)
        second = case.get_attribute("aria-label")
        page.keyboard.press("n")
        page.reload()
        expect(case).to_be_visible()
        expect(page.get_by_role("heading", name=re.compile("^Answer 2: "))).to_be_visible()
        self.assertNotEqual(second, opened)
        self.assertEqual(self.violations(), [])
        page.keyboard.press("Escape")
        expect(case).to_be_hidden()
        expect(page).to_have_url(re.compile("order=differ"))
        page.go_back()
        expect(case).to_be_visible()

        # A link to an answer leads to its case; one to a case that is not there says so.
        output = Output.objects.filter(arm__trial=trial).order_by("-id").first()
        self.open(f"/briefs/{brief.pk}/trials/{trial.pk}?output={output.pk}")
        expect(
            page.get_by_role("article", name=f"Case {output.revision.case.number}", exact=True)
        ).to_be_visible()
        self.open(f"/briefs/{brief.pk}/trials/{trial.pk}?case=99999")
        expect(page.get_by_text("Case 99999 is not among this trial’s cases.")).to_be_visible()
        self.open(f"/briefs/{brief.pk}/trials/{trial.pk}?words=.*%5B")
        expect(page.get_by_text("No case is like that.")).to_be_visible()
        self.assertEqual(self.troubles, [])
