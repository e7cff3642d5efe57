"""From a finished trial to a held-out check, an adopted verdict, and a report that needs no network."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from django.utils import timezone
from playwright.sync_api import expect

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.models import COMPLETE, Trial
from nomikon.server.apps.trials.planning import make_plan
from nomikon.server.apps.verdicts.models import Verdict
from tests.browser.driver import BrowserTest
from tests.processes import wait_until


class VerdictTest(BrowserTest):
    def test_checked_adopted_and_taken_along(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        plan = make_plan(
            brief,
            versions=[3, 4],
            models=[Model.objects.get(name=f"standin-{n}").pk for n in ("flint", "boulder")],
            settings=[],
            dataset_version=brief.datasets.first().versions.order_by("-number").first().pk,
            split="working",
            repeats=1,
        )
        trial = StartTrial(plan, "Do definitions help?", "tester", timezone.now()).execute()
        wait_until(lambda: Trial.objects.get(pk=trial.pk).state == COMPLETE, 90, "the trial")
        self.open(f"/briefs/{brief.pk}/verdict")
        # Each part of the evidence says what it found while it is closed, and opens by its number.
        expect(page.get_by_role("button", name=re.compile("^2 Parts of the cases"))).to_be_visible()
        spread = page.get_by_role("button", name=re.compile("^4 What the spread comes from.* %"))
        expect(spread).to_be_visible()
        page.keyboard.press("3")
        expect(page.get_by_text("Not beaten by any arm, all 4 taken at once:")).to_be_visible()
        spread.click()
        expect(page.get_by_text("With one repeat, chance and what is special")).to_be_visible()
        self.assertEqual(self.violations(), [])

        # The check is asked for twice before held-out cases are looked at.
        margin = page.get_by_label("Margin")
        margin.get_by_role("button", name=re.compile("^Check, about")).click()
        expect(margin.get_by_text("never looked at")).to_be_visible()
        self.assertEqual(Trial.objects.filter(split="held-out").count(), 0)
        margin.get_by_role("button", name=re.compile("^Run both on 40 cases, about")).click()
        expect(margin.get_by_text("On 40 held-out cases")).to_be_visible(timeout=120_000)
        expect(margin.get_by_text("looked at once")).to_be_visible()
        self.assertEqual(Trial.objects.filter(split="held-out").count(), 1)

        # What got worse is read before anything is decided: the list counts, and leads on.
        margin.get_by_role("link", name="Read and mark").click()
        expect(margin.get_by_role("heading", name=re.compile("^Answer 1: v4"))).to_be_visible()
        expect(margin.get_by_role("button", name="bad", pressed=False)).to_be_visible()
        page.keyboard.press("b")
        expect(margin.get_by_role("button", name="bad", pressed=True)).to_be_visible()
        page.go_back()
        expect(margin.get_by_text(re.compile("^1 of [0-9]+ worse cases? read"))).to_be_visible()
        expect(margin.get_by_text("No measure looks at the tone.")).to_be_visible()

        margin.get_by_role("button", name="Adopt v").click()
        page.get_by_label("Why this arm").fill(
            "It sorts best, and the check does not contradict it."
        )
        page.get_by_role("button", name="Adopt it").click()
        expect(margin.get_by_text("It sorts best")).to_be_visible()
        self.assertEqual(Verdict.objects.get().evidence["held_out_looks"], 1)

        # Somebody keeps watch: asked at once, and again on demand, without a drift.
        margin.get_by_role("button", name="Keep watch…").click()
        page.get_by_label("Cases, of 120").fill("500")
        page.get_by_role("button", name="Keep watch", exact=True).click()
        expect(page.get_by_text("Cases is 500; allowed is 10 to 120")).to_be_visible()
        page.get_by_label("Cases, of 120").fill("30")
        page.get_by_role("button", name="Keep watch", exact=True).click()
        expect(margin.get_by_text("to compare with")).to_be_visible(timeout=120_000)
        margin.get_by_role("button", name="Check now").click()
        # On a busy machine the time may drift, and that is told as well.
        expect(margin.get_by_text("Score: no drift shown").first).to_be_visible(timeout=120_000)

        # Prices and times stand with the frontier, and what changed beside what got worse.
        page.keyboard.press("1")
        expect(page.get_by_role("columnheader", name="Price of 1,000 good ones")).to_be_visible()
        page.get_by_role("button", name="time", exact=True).click()
        expect(page.get_by_text("median time of an answer")).to_be_visible()

        # The ledger finds the adoption by setting and kind, and leads back to it.
        self.open("/ledger?what=verdicts&setting=temperature+0")
        page.get_by_role("link", name="adopted, score").click()
        expect(page.get_by_role("heading", name=re.compile("^Is "))).to_be_visible()

        with page.expect_download() as download:
            margin.get_by_role("link", name="Report").click()
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "report.html"
            download.value.save_as(file)
            self.context.set_offline(True)
            asked: list[str] = []
            page.on("request", lambda r: asked.append(r.url))
            page.goto(file.as_uri())
            expect(
                page.get_by_role("heading", name=f"Message triage, trial {trial.number}")
            ).to_be_visible()
            expect(page.get_by_role("heading", name="Held-out check")).to_be_visible()
            expect(page.get_by_text("The models are simulated.")).to_be_visible()
            self.assertEqual(self.violations(), [])
            self.assertEqual([u for u in asked if not u.startswith(("file:", "data:"))], [])
        self.assertEqual(self.troubles, [])
