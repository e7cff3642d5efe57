"""Which change did it, on the database: what is run, who is named, the version without it."""

from unittest.mock import patch

from django.test import TransactionTestCase

from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.culprits.planning import plan_search
from nomikon.server.apps.trials.models import COMPARE, CULPRITS, Arm, Trial
from tests.server.base import Api, Scripted, make_brief, run, start, who

BEFORE = "You know the sea.\nAnswer in one word.\nBe kind."
HARMS, HELPS, IDLE = "Say no when in doubt.", "A sea is always wet.", "Think of the tides."


def by_its_words(body):
    """Every third sea is doubted, every third known from the text alone."""
    text, sea = body["messages"][0]["content"], body["messages"][-1]["content"]
    number = int(sea.split()[2])
    if number % 3 == 0 and HARMS in text:
        return "no"
    return "no" if number % 3 == 1 and HELPS not in text else "yes"


class CulpritsTest(TransactionTestCase):
    def setUp(self):
        self.brief, self.api = make_brief(60), Api()
        self.model = Model.objects.order_by("id").first()
        self.save(BEFORE, 1)
        self.save(f"You know the sea.\n{HELPS}\nAnswer in one word.\n{IDLE}\nBe kind.\n{HARMS}", 3)

    def save(self, text, parent, settings=None):
        rows = [
            {"role": "system", "content": text},
            {"role": "user", "content": "Is {{sea}} wet?"},
        ]
        SaveVersion(
            self.brief, rows, settings or {"temperature": 0},
            Version.objects.get(number=parent), f"after v{parent}", **who(),
        ).execute()  # fmt: skip

    def compare(self, *versions):
        trial = start(self.brief, versions=list(versions), models=[self.model.pk])
        run(trial, Scripted(by_its_words))
        arms = list(trial.arms.order_by("position"))
        return trial, {"older": arms[0].pk, "newer": arms[1].pk}

    def search(self, trial, arms):
        url = f"trials/{trial.pk}/culprits"
        plan = self.api.post(f"{url}/plan/", arms)
        self.assertEqual(plan.status_code, 200, plan.content[:300])
        got = self.api.post(f"{url}/start/", arms)
        self.assertEqual(got.status_code, 200, got.content[:300])
        caller = Scripted(by_its_words)
        run(Trial.objects.get(pk=got.json()["trial"]), caller)
        return plan.json(), self.api.get(f"culprits/{got.json()['id']}/").json(), caller

    def test_the_one_that_hurt_is_named_and_the_version_without_it_is_saved(self):
        trial, arms = self.compare(3, 4)
        plan, found, caller = self.search(trial, arms)
        moved = plan["n_better"] + plan["n_worse"]
        self.assertGreater(min(plan["n_better"], plan["n_worse"]), 8)
        self.assertEqual((plan["exact"], plan["texts"]), (True, 6))
        # As many cases that did not move, where there are; both versions are in the store.
        self.assertEqual(plan["n_cases"], min(2 * moved, trial.n_cases))
        self.assertEqual(caller.calls, plan["calls"])
        self.assertEqual(plan["calls"], 6 * plan["n_cases"])
        by_text = {a["id"]: a["text"] for a in found["amendments"]}
        told = {by_text[s["amendments"][0]]: s for s in found["shares"]}
        self.assertEqual(
            {text: s["word"] for text, s in told.items()},
            {HARMS: "hurt", HELPS: "helped", IDLE: "not shown"},
        )
        self.assertAlmostEqual(sum(s["share"] for s in found["shares"]), found["difference"], 9)
        self.assertEqual(told[HARMS]["worse"], plan["n_worse"])
        self.assertEqual(told[HELPS]["better"], plan["n_better"])
        self.assertEqual(found["how"], "exact")
        # The version without it: tested like any other, against both.
        url = f"culprits/{found['id']}/without/"
        harmful = told[HARMS]["amendments"]
        made = self.api.post(url, {"leave": harmful}).json()
        self.assertEqual(made["versions"], [3, 4, 5])
        version = Version.objects.get(number=5)
        text = version.messages[0]["content"]
        self.assertNotIn(HARMS, text)
        self.assertIn(HELPS, text)
        self.assertIn("share -", version.reasons[0]["reason"])
        self.assertEqual(self.api.get(f"culprits/{found['id']}/").json()["saved"], [5])
        for leave, words in [
            ([], "tick"),
            (["amend-77"], "no amendment"),
            (list(by_text), "again"),
        ]:
            got = self.api.post(url, {"leave": leave})
            self.assertEqual(
                (got.status_code, got.json()["field"] in ("leave", "take")), (422, True)
            )
            self.assertIn(words, got.json()["detail"])

    def test_the_trial_itself_is_no_comparison_and_its_texts_are_adopted_by_nobody(self):
        trial, arms = self.compare(3, 4)
        _, found, _ = self.search(trial, arms)
        own = Trial.objects.get(pk=found["trial"])
        self.assertEqual(own.purpose, CULPRITS)
        self.assertEqual(
            [a.taken is None for a in own.arms.order_by("position")], [True, *[False] * 6, True]
        )
        part = own.arms.order_by("position")[1]
        self.assertIn("with only", part.version_label)
        got = self.api.post(
            f"briefs/{self.brief.pk}/adopt/", {"arm": part.pk, "against": None, "reason": "x"}
        )
        self.assertEqual(got.status_code, 422, got.content)
        self.assertEqual(Trial.objects.filter(purpose=COMPARE).count(), 1)
        arms = dict(
            zip(("older", "newer"), (a.pk for a in own.arms.order_by("position")[:2]), strict=True)
        )
        got = self.api.post(f"trials/{own.pk}/culprits/plan/", arms)
        self.assertIn("does not compare versions", got.json()["detail"])

    def test_the_few_cases_that_were_lost_are_asked_whatever_the_many_that_were_won(self):
        self.save(f"{BEFORE}\n{HELPS}\n{HARMS}", 3)
        trial, arms = self.compare(3, 5)
        with patch("nomikon.server.apps.culprits.planning.MOST_MOVED", 4):
            made = plan_search(Trial.objects.get(pk=trial.pk), **arms)
        self.assertEqual((len(made.better), len(made.worse)), (10, 10))

    def test_orders_are_drawn_where_the_changes_are_too_many_for_every_text(self):
        more = ["Mind the wind.", "Mind the rain."]
        text = f"You know the sea.\n{HELPS}\nAnswer in one word.\n{IDLE}\nBe kind.\n{HARMS}"
        self.save("\n".join([text, *more]), 3)
        trial, arms = self.compare(3, 5)
        plan, found, _ = self.search(trial, arms)
        self.assertEqual((plan["exact"], plan["orders"], found["how"]), (False, 0, "ends"))
        plan, found, caller = self.search(trial, {**arms, "orders": 4})
        self.assertEqual((plan["orders"], found["how"]), (4, "orders"))
        self.assertGreater(plan["texts"], 10)
        # Each alone was run before, and is not asked again.
        self.assertEqual(caller.calls, plan["calls"] - 10 * plan["n_cases"])
        self.assertAlmostEqual(sum(s["share"] for s in found["shares"]), found["difference"], 9)
        by_text = {a["id"]: a["text"] for a in found["amendments"]}
        words = {by_text[s["amendments"][0]]: s["word"] for s in found["shares"]}
        self.assertEqual((words[HARMS], words[HELPS], words[IDLE]), ("hurt", "helped", "not shown"))
        got = self.api.post(f"trials/{trial.pk}/culprits/plan/", {**arms, "orders": 41})
        self.assertEqual(got.status_code, 400)

    def test_what_cannot_be_searched_is_told(self):
        trial, arms = self.compare(3, 4)
        url = "trials/{}/culprits/plan/"
        self.save(BEFORE.replace("Be kind.", "Be kind to all."), 3)
        lone, pair = self.compare(3, 5)
        for of, body, words in [
            (trial, {**arms, "newer": arms["older"]}, "same text"),
            (trial, {**arms, "newer": 999}, "two arms of this trial"),
            (lone, pair, "one amendment alone"),
        ]:
            with self.subTest(words=words):
                got = self.api.post(url.format(of.pk), body)
                self.assertEqual((got.status_code, got.json()["field"]), (422, "newer"))
                self.assertIn(words, got.json()["detail"])
        Trial.objects.filter(pk=trial.pk).update(split="held-out")
        got = self.api.post(url.format(trial.pk), arms)
        self.assertIn("tuning on them", got.json()["detail"])

    def test_many_amendments_are_each_added_and_taken_back_alone(self):
        lines = [f"Rule {i}: mind sea {i}." for i in range(6)]
        self.save("\n".join([BEFORE, *lines, HARMS]), 3)
        trial, arms = self.compare(3, 5)
        plan, found, _ = self.search(trial, arms)
        self.assertEqual((plan["exact"], found["how"], plan["texts"]), (False, "ends", 14))
        worst = min(found["shares"], key=lambda s: s["share"])
        texts = {a["id"]: a["text"] for a in found["amendments"]}
        self.assertEqual([texts[i] for i in worst["amendments"]], [HARMS])
        self.assertEqual(worst["word"], "hurt")
        self.assertFalse(Arm.objects.filter(trial_id=found["trial"], taken=[]).exists())
