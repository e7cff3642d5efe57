"""Two versions, the change that hurt found out, saved without it, and the verdict on that."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.culprits.models import CulpritSearch
from nomikon.server.apps.trials.models import COMPARE, Trial
from tests.browser.driver import BrowserTest
from tests.processes import wait_until
from tests.server.base import start


class CulpritsTest(BrowserTest):
    def test_from_two_versions_to_the_verdict_on_a_third(self):
        page = self.page
        brief = Brief.objects.get(name="Message triage")
        model = Model.objects.get(name="standin-pebble")
        trial = start(brief, versions=[4, 6], models=[model.pk])
        wait_until(lambda: Trial.objects.get(pk=trial.pk).state == "complete", 120, "the trial")
        self.open(f"/briefs/{brief.pk}/verdict?trial={trial.pk}")
        page.get_by_role("button", name=re.compile("^Find out which did it, .* simulated$")).click()
        part = page.get_by_role("region", name="Which change did it")
        table = part.get_by_role("table", name="Amendments, the most harmful first")
        expect(table).to_be_visible(timeout=120_000)
        # Both halves of a worked example are one change; the one that hurt is ticked, at the top.
        expect(table.get_by_role("row")).to_have_count(3)
        first = table.get_by_role("row").first
        expect(first).to_contain_text("Always answer, also when a message speaks of an injury.")
        expect(first).to_contain_text("hurt")
        expect(first.get_by_role("checkbox")).to_be_checked()
        # Each case tells what moved it, in the list and where its answers are read.
        lost = page.get_by_role("link", name=re.compile("§ 2:")).first
        expect(lost).to_be_visible()
        part.get_by_text("What each did to the").click()
        expect(part.get_by_role("columnheader", name="§ 2", exact=True)).to_be_visible()
        self.assertEqual(self.violations(), [])
        lost.click()
        expect(page.get_by_text("§ 2 moved this case")).to_be_visible()
        # Beside the changes of the draft, each change with what it did.
        self.open(f"/briefs/{brief.pk}/draft?v=6")
        page.get_by_label("Margin").get_by_role("button", name=re.compile("^Changes")).click()
        expect(page.get_by_text("What it did, § 2")).to_be_visible()
        expect(page.get_by_text(re.compile("^0 cases better, [1-9]"))).to_be_visible()
        self.open(f"/briefs/{brief.pk}/verdict?trial={trial.pk}")
        # Nothing ticked: told what lacks, nothing saved.
        box = table.get_by_role("row").first.get_by_role("checkbox")
        box.click()
        save = part.get_by_role("button", name=re.compile("^Save v6 without .* and run"))
        save.click(force=True)
        expect(part.get_by_role("status")).to_have_text("Not yet: nothing is ticked above.")
        box.click()
        part.get_by_role("button", name=re.compile("^Save v6 without § 2 and run")).click()
        expect(page).to_have_url(re.compile(r"/trials/\d+$"))
        made = Version.objects.get(brief=brief, number=7)
        self.assertEqual(made.parent, Version.objects.get(brief=brief, number=6))
        self.assertNotIn("speaks of an injury", made.messages[0]["content"])
        tested = Trial.objects.filter(brief=brief, purpose=COMPARE).latest("id")
        told = tested.arms.order_by("version__number").values_list("version__number", flat=True)
        self.assertEqual(list(told), [4, 6, 7])
        self.assertEqual(CulpritSearch.objects.get().saved, [7])
        wait_until(lambda: Trial.objects.get(pk=tested.pk).state == "complete", 120, "its trial")
        self.open(f"/briefs/{brief.pk}/verdict?trial={tested.pk}")
        title = page.get_by_role("heading", level=1)
        expect(title).to_contain_text("Is v7 better than v6")
        # What is good in each: one branch is brought into another without what hurt there, and run against both.
        self.open(f"/briefs/{brief.pk}/draft?v=5&view=Versions&beside=6")
        page.get_by_role("button", name="Bring some of v6 into v5…").click()
        expect(page.get_by_text(re.compile(r"^hurt, [-−]0\.\d\d \(v4 to v6\)$"))).to_be_visible()
        box = page.get_by_role("checkbox", name="Take: add-1.1")
        expect(box).to_be_checked()
        page.get_by_role("button", name="leave out what hurt").click()
        expect(box).not_to_be_checked()
        page.get_by_role("button", name=re.compile(r"^Bring \d+ into v5$")).click()
        expect(page.get_by_text("Amendments of v6 are brought in")).to_be_visible()
        page.get_by_role("button", name=re.compile("^Save and run, ")).click()
        wait_until(lambda: Version.objects.filter(brief=brief, number=8).exists(), 60, "v8")
        joined = Version.objects.get(brief=brief, number=8)
        self.assertEqual((joined.parent.number, joined.second_parent.number), (5, 6))
        self.assertNotIn("speaks of an injury", joined.messages[0]["content"])
        wait_until(lambda: Trial.objects.filter(arms__version=joined).exists(), 60, "its trial")
        whole = Trial.objects.get(arms__version=joined)
        told = set(whole.arms.values_list("version__number", flat=True))
        self.assertEqual((told, whole.n_cases), ({5, 6, 8}, 120))
        self.assertEqual(self.troubles, [])
