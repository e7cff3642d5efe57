"""A trial with a budget, from its plan to its end; and the models screen against a real server."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.models import Connection
from nomikon.server.apps.trials.models import Output, Trial
from tests.browser.driver import BrowserTest


class RunningTest(BrowserTest):
    def test_a_budget_stops_a_trial_and_a_higher_one_lets_it_go_on(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        page.goto(f"{self.address}/briefs/{brief.pk}/trials/plan")
        expect(page.get_by_text("What it will take")).to_be_visible()
        versions = page.get_by_role("group", name="Versions")
        versions.get_by_role("button", name="none").click()
        versions.get_by_label("v4").check()
        models = page.get_by_role("group", name="Models")
        models.get_by_role("button", name="none").click()
        models.get_by_label("standin-boulder").check()
        start = page.get_by_role("button", name="Start 120 calls")
        expect(start).to_be_enabled()
        # A budget that is no amount of money is refused where it stands.
        page.get_by_label("Budget, if any").fill("-1")
        start.click()
        expect(page.get_by_text("a budget of -1 is not possible")).to_be_visible()
        page.get_by_label("Budget, if any").fill("0.02")
        start.click()
        expect(page.get_by_text("the budget is spent")).to_be_visible()
        trial = Trial.objects.get()
        done = Output.objects.count()
        self.assertLess(done, trial.n_outputs)
        dearest = max(Output.objects.values_list("cost_new", flat=True))
        in_flight = Connection.objects.get().concurrency
        self.assertLessEqual(trial.spent_nano, trial.budget_nano + in_flight * dearest)
        # The same budget again is refused, a higher one goes on to the end.
        page.get_by_label("New budget of this trial").fill("0.02")
        page.get_by_role("button", name="Go on").click()
        expect(page.get_by_text("give a higher one")).to_be_visible()
        page.get_by_label("New budget of this trial").fill("1")
        page.get_by_role("button", name="Go on").click()
        expect(page.get_by_text(re.compile(r"120 of 120 · complete"))).to_be_visible()
        self.assertEqual(Output.objects.filter(failure="").count(), 120)
        # What it cost stands in the ledger, month by month.
        page.goto(f"{self.address}/ledger")
        heading = page.get_by_role("heading", name="Simulated, which nobody pays, by month and")
        expect(heading).to_be_visible()
        # One more repeat, and one answer asked again.
        page.goto(f"{self.address}/briefs/{brief.pk}/trials/{trial.pk}")
        page.get_by_role("button", name="More…").click()
        page.get_by_role("menuitem", name=re.compile("^Extend")).click()
        page.get_by_label("Repeats, now 1").fill("2")
        page.get_by_role("button", name="Add 120 answers").click()
        expect(page.get_by_text(re.compile(r"240 of 240 · complete"))).to_be_visible()
        # Under another brief's address it is not shown as that brief's.
        other = Brief.objects.get(name="Service notice")
        page.goto(f"{self.address}/briefs/{other.pk}/trials/{trial.pk}")
        expect(page.get_by_text("This trial belongs to another brief.")).to_be_visible()
        page.get_by_role("link", name="where it was run").click()
        expect(page.get_by_text(re.compile(r"240 of 240 · complete"))).to_be_visible()
        self.assertEqual(self.troubles, [])

    def test_a_connection_is_made_its_models_listed_and_one_tested(self):
        page = self.page
        page.goto(f"{self.address}/models")
        page.get_by_role("button", name="New connection…").click()
        page.get_by_label("Name", exact=True).fill("Second")
        page.get_by_label("Protocol").select_option("open-inference")
        page.get_by_label("Base URL, up to the host or /v2").fill("127.0.0.1:9999")
        page.get_by_label("Key", exact=True).first.select_option("kept")
        page.get_by_label("Key", exact=True).nth(1).fill("private-key-1234")
        page.get_by_role("button", name="Save the connection").click()
        # Refused beside its field; nothing typed is lost.
        expect(page.get_by_text("must begin with http:// or https://")).to_be_visible()
        expect(page.get_by_label("Name", exact=True)).to_have_value("Second")
        host = self.standin.removesuffix("/v1")
        page.get_by_label("Base URL, up to the host or /v2").fill(host)
        page.get_by_role("button", name="Save the connection").click()
        # It answers, so what it offers comes next.
        offers = page.get_by_role("dialog", name="What Second offers")
        expect(offers.get_by_text("4 models")).to_be_visible()
        offers.get_by_label("Search").fill("flint")
        expect(offers.get_by_role("row")).to_have_count(2)
        offers.get_by_role("button", name="Tick all 1 shown").click()
        offers.get_by_role("button", name="Add 1 model").click()
        self.assertNotIn("private-key-1234", Connection.objects.get(name="Second").key_cipher)
        second = page.locator("section", has=page.get_by_role("heading", name="Second"))
        expect(second.get_by_text("Its key is kept here, encrypted.")).to_be_visible()
        second.get_by_role("button", name="Change").nth(1).click()
        expect(page.get_by_label("Name, as the server knows it")).to_have_value("standin-flint")
        # What the protocol has no word for cannot be ticked.
        expect(page.get_by_label("response schema")).to_be_disabled()
        page.get_by_label("top-k").uncheck()
        page.get_by_role("button", name="Save the model").click()
        expect(second.get_by_text("does not take top k")).to_be_visible()
        second.get_by_role("button", name="Test").click()
        page.get_by_role("button", name="Call it").click()
        expect(page.get_by_text("What came back")).to_be_visible()
        expect(page.get_by_text("answered by standin-flint")).to_be_visible()
        self.assertEqual(self.troubles, [])
