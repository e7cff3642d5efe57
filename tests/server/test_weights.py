"""Clause weights on the database: what is left out, the weights, the strike test, the version after."""

from django.test import TransactionTestCase

from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.trials.models import COMPARE, WEIGH, Trial
from tests.server.base import Api, Scripted, make_brief, run, start, who

TEXT = """\
You know the sea.
Say yes when it is wet.
Answer in one word.
Be as kind as you can be.
Always reply in one word.
Never mention the weather.
Think of the tides.
Use plain words.
Do not guess."""
SAME = "one word"


def by_its_words(body):
    """On every fourth sea it must be told when to say yes, on another fourth to be short."""
    text, sea = body["messages"][0]["content"], body["messages"][-1]["content"]
    number = int(sea.split()[2])
    if number % 4 == 0 and SAME not in text:
        return "It may well be wet"
    return "yes" if number % 4 != 1 or "Say yes when" in text else "no"


class WeighingTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(180)
        SaveVersion(
            self.brief,
            [
                {"role": "system", "content": TEXT},
                {"role": "user", "content": "Is {{sea}} wet?"},
            ],
            {"temperature": 0},
            Version.objects.get(number=1),
            "long",
            **who(),
        ).execute()
        self.api = Api()
        self.model = Model.objects.order_by("id").first()
        self.body = {
            "version": 3,
            "model": self.model.pk,
            "dataset_version": self.brief.datasets.first().versions.latest("number").pk,
        }
        self.url = f"briefs/{self.brief.pk}/weighings"

    def weigh(self, **more):
        got = self.api.post(f"{self.url}/start/", {**self.body, **more})
        self.assertEqual(got.status_code, 200, got.content[:300])
        run(Trial.objects.get(pk=got.json()["trial"]), Scripted(by_its_words))
        return self.api.get(f"weighings/{got.json()['id']}/").json()

    def test_the_plan_says_what_goes_what_stays_and_what_it_takes(self):
        plan = self.api.post(f"{self.url}/plan/", {**self.body, "keep": [1]}).json()
        self.assertEqual([f["clauses"] for f in plan["free"]], [[n] for n in range(2, 10)])
        self.assertEqual([row["clause"] for row in plan["locked"]], [1, 10])
        self.assertLessEqual(plan["at_most_out"], 2)
        self.assertGreater(plan["one_by_one"], 1.5 * plan["calls"])
        self.assertEqual(plan["calls"], plan["rows"] * plan["n_cases"])
        self.assertGreater(plan["cost"], 0)
        refused = self.api.post(f"{self.url}/plan/", {**self.body, "cases": 121})
        self.assertEqual((refused.status_code, refused.json()["field"]), (422, "cases"))
        bare = self.api.post(f"{self.url}/plan/", {**self.body, "version": 1})
        self.assertIn("no clause that could be left out", bare.json()["detail"])

    def test_weights_find_what_earns_and_the_test_finds_what_says_the_same(self):
        found = self.weigh(cases=120)
        self.assertEqual(found["state"], "complete")
        by_clause = {c["clauses"][0]: c for c in found["clauses"]}
        self.assertEqual(by_clause[2]["verdict"], "earns")
        self.assertGreater(by_clause[2]["weight"], 0.2)
        self.assertGreater(by_clause[2]["tokens"], 3)
        for idle in (4, 6, 7, 8, 9):
            self.assertEqual(by_clause[idle]["verdict"], "does nothing", idle)
        # Without one of the two that ask for one word nothing is lost.
        self.assertLess(by_clause[3]["low"], 0.05)
        self.assertNotIn(2, found["strikable"])

        idle = [3, 4, 5, 6, 7, 8, 9]
        planned = self.api.post(f"weighings/{found['id']}/strike/plan/", {"clauses": idle}).json()
        self.assertEqual(planned["n_cases"], 120)
        self.assertGreater(planned["in_store"], 0)
        tested = self.api.post(f"weighings/{found['id']}/strike/", {"clauses": idle}).json()
        trial = Trial.objects.get(pk=tested["strikes"][0]["trial"])
        run(trial, Scripted(by_its_words))
        told = self.api.get(f"weighings/{found['id']}/").json()["strikes"][0]
        self.assertLess(told["high"], 0)
        self.assertFalse(told["no_worse"])
        self.assertIn("say the same", told["words"])

    def test_what_does_nothing_becomes_a_version_with_the_evidence(self):
        found = self.weigh(keep=[3])
        sure = [4, 6, 7]
        early = self.api.post(f"weighings/{found['id']}/strike/", {"clauses": sure}).json()
        strike = early["strikes"][0]
        self.assertEqual(self.api.post(f"strikes/{strike['id']}/save/").status_code, 422)
        run(Trial.objects.get(pk=strike["trial"]), Scripted(by_its_words))
        told = self.api.get(f"weighings/{found['id']}/").json()["strikes"][0]
        self.assertTrue(told["no_worse"], told)
        made = self.api.post(f"strikes/{strike['id']}/save/").json()
        version = Version.objects.get(number=made["number"])
        self.assertEqual((version.origin, version.parent.number), ("trimmed", 3))
        text = version.messages[0]["content"]
        self.assertNotIn("kind", text)
        self.assertIn("Use plain words.", text)
        self.assertEqual([r["clause"] for r in version.reasons], sure)
        self.assertIn("weight", version.reasons[0]["reason"])

    def test_a_weighing_is_no_score_of_its_version_and_is_not_adopted_or_extended(self):
        self.weigh()
        detail = self.api.get(f"briefs/{self.brief.pk}/").json()
        self.assertIsNone(next(v for v in detail["versions"] if v["number"] == 3)["score"])
        trial = Trial.objects.get(purpose=WEIGH)
        arm = trial.arms.order_by("position")[1]
        adopted = self.api.post(
            f"briefs/{self.brief.pk}/adopt/", {"arm": arm.pk, "reason": "shorter"}
        )
        self.assertEqual(adopted.status_code, 422)
        self.assertIn("without", adopted.json()["detail"])
        extended = self.api.post(f"trials/{trial.pk}/extend/", {"repeats": 2})
        self.assertIn("planned as a whole", extended.json()["detail"])
        # What is read under Review is the newest ordinary trial.
        ordinary = start(self.brief)
        run(ordinary)
        self.weigh(repeats=2)
        reading = self.api.get(f"briefs/{self.brief.pk}/reading/").json()
        self.assertEqual(reading["trial"], ordinary.pk)
        self.assertEqual(Trial.objects.get(pk=reading["trial"]).purpose, COMPARE)

    def test_a_test_of_what_was_not_weighed_is_refused(self):
        found = self.weigh()
        refused = self.api.post(f"weighings/{found['id']}/strike/", {"clauses": [10]})
        self.assertEqual((refused.status_code, refused.json()["field"]), (422, "clauses"))
        self.assertIn("§10 was not weighed", refused.json()["detail"])

    def test_a_line_that_earned_its_place_is_offered_elsewhere_with_its_evidence(self):
        self.assertEqual(self.api.get("earned/").json(), [])
        self.weigh()
        (line,) = self.api.get("earned/").json()
        self.assertEqual(line["text"], "Say yes when it is wet.")
        self.assertEqual((line["brief_name"], line["version"], line["kept"]), ("Tides", 3, True))
        self.assertGreater(line["low"], 0)
        self.assertEqual(line["n_cases"], 60)
        # Struck since: it says so.
        rows = [{"role": "user", "content": "Is {{sea}} wet? One word."}]
        last = Version.objects.get(brief=self.brief, number=3)
        SaveVersion(self.brief, rows, {}, last, "without", **who()).execute()
        self.assertFalse(self.api.get("earned/").json()[0]["kept"])
        # Offered to another brief of that kind, not to its own, nor where the text says it.
        other = make_brief(3, "Rain")
        offered = self.api.post(f"briefs/{other.pk}/earned/", {"messages": []}).json()
        self.assertEqual([x["text"] for x in offered], ["Say yes when it is wet."])
        self.assertEqual(self.api.post(f"briefs/{self.brief.pk}/earned/", {}).json(), [])
        said = [{"role": "user", "content": "Say yes when it is wet\n{{sea}}"}]
        got = self.api.post(f"briefs/{other.pk}/earned/", {"messages": said}).json()
        self.assertEqual(got, [])
