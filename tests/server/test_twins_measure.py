"""Twins as a measure of a scorecard: asked of the arm beside its answers, held to a threshold, watched."""

from django.test import TransactionTestCase

from nomikon.models import CallFailure
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.trials.models import Call, Output, ScoreRow, Trial
from nomikon.server.apps.verdicts.models import Watch
from tests.server.base import Api, Scripted, make_brief, plan_of, run, start, who

TWINS = {"measure": "twins", "kinds": ["paragraph", "filler", "greeting"], "weight": 0}
CARD = {
    "nomikon": "scorecard/1",
    "measures": [{"measure": "normalised-match"}, TWINS],
    "thresholds": [{"measure": "twins", "at_least": 0.9}],
}


def confused(body):
    """Answers rightly, but is thrown by a greeting."""
    said = body["messages"][-1]["content"]
    return "no" if any(w in said for w in ("Hello,", "Good morning,", "Dear all,")) else "yes"


class WithTwins(TransactionTestCase):
    cases = 6

    def setUp(self):
        self.brief, self.api = make_brief(self.cases), Api()

    def card(self, **more):
        return SaveScorecard(self.brief, {**CARD, **more}, **who()).execute()

    def small(self):
        return [Model.objects.get(name="small").pk]


class TwinsMeasureTest(WithTwins):
    def test_twins_are_calls_of_the_output_and_no_part_of_what_the_arm_costs(self):
        self.card()
        trial = start(self.brief, models=self.small())
        run(trial, Scripted(confused))
        output = Output.objects.filter(arm__trial=trial).first()
        calls = list(output.calls.all())
        self.assertEqual([c.part for c in calls], ["answer", "twin", "twin", "twin"])
        self.assertEqual(output.cost_nominal, calls[0].cost)
        self.assertEqual(output.cost_new, sum(c.cost for c in calls))
        self.assertAlmostEqual(output.scores.get().packed["twins"][0], 2 / 3)
        self.assertEqual(output.scores.get().total, 1)
        told = self.api.get(f"outputs/{output.pk}/").json()
        self.assertEqual(
            {t["kind"]: t["holds"] for t in told["twins"]},
            {"paragraph": True, "filler": True, "greeting": False},
        )
        greeted = next(t for t in told["twins"] if t["kind"] == "greeting")
        self.assertEqual([w["text"] for w in greeted["answer_words"]], ["yes", "no"])
        row = self.api.get(f"trials/{trial.pk}/").json()
        (held,) = row["arms"][0]["thresholds"]
        # Four cases are too few to call it missed.
        self.assertEqual((held["measure"], held["state"]), ("twins", "unsure"))
        self.assertAlmostEqual(held["mean"], 2 / 3)
        self.assertEqual(row["beside"], sum(c.cost for c in Call.objects.filter(part="twin")))

    def test_the_plan_tells_their_price(self):
        before = plan_of(self.brief)
        self.card()
        after = plan_of(self.brief)
        self.assertEqual(after.beside.calls, 3 * before.estimate.calls)
        self.assertEqual(after.estimate.calls, 4 * before.estimate.calls)
        self.assertGreater(after.estimate.cost, before.estimate.cost)

    def test_a_failed_twin_is_missing_and_asked_again_alone(self):
        self.card()
        trial = start(self.brief, models=self.small())

        def shaky(body):
            said = body["messages"][-1]["content"]
            if "sea 1" in said and confused(body) == "no":
                return CallFailure("server_error", "no", attempts=2)
            return "yes"

        run(trial, Scripted(shaky))
        row = self.api.get(f"trials/{trial.pk}/").json()
        self.assertEqual((row["unjudged"], row["arms"][0]["failed"]), (2, 0))
        self.assertEqual(self.api.post(f"trials/{trial.pk}/continue/", {}).status_code, 200)
        again = Scripted(lambda body: "yes")
        run(trial, again)
        self.assertLessEqual(again.calls, 2)
        self.assertEqual(self.api.get(f"trials/{trial.pk}/").json()["unjudged"], 0)
        scores = ScoreRow.objects.filter(output__arm__trial=trial)
        self.assertEqual({row.packed["twins"][0] for row in scores}, {1.0})
        asked_twice = (
            Call.objects.filter(output__arm__trial=trial).exclude(failure="").first().output
        )
        told = self.api.get(f"outputs/{asked_twice.pk}/").json()
        self.assertEqual([t["holds"] for t in told["twins"]], [True] * 3)

    def test_at_the_open_answer_the_twins_are_read_as_the_score_read_them(self):
        self.card(answer={"begins": "mark", "mark": "Label:"}, measures=[{**TWINS, "weight": 1}])
        trial = start(self.brief, models=self.small())

        def wordy(body):
            said = body["messages"][-1]["content"]
            if "Good morning," in said or "Hello," in said or "Dear all," in said:
                return CallFailure("server_error", "no", attempts=1)
            # Other words before the mark, the same answer after it.
            return f"<think>{len(said)}</think>{len(said)} letters. Label: yes"

        run(trial, Scripted(wordy))
        output = Output.objects.filter(arm__trial=trial).first()
        told = self.api.get(f"outputs/{output.pk}/").json()["twins"]
        self.assertEqual([t["answer"] for t in told if t["holds"]], ["yes", "yes"])
        (failed,) = (t for t in told if not t["holds"])
        self.assertEqual((failed["holds"], failed["why"]), (None, "its call failed (server_error)"))

    def test_stored_answers_have_their_twins_asked_by_a_later_scorecard(self):
        trial = start(self.brief, models=self.small())
        run(trial, Scripted(confused))
        card = self.card()
        plan = self.api.post(f"trials/{trial.pk}/rescore/plan/", {"scorecard": card.number})
        outputs = Output.objects.count()
        self.assertEqual((plan.json()["twins"], plan.json()["calls"]), (True, 3 * outputs))
        self.assertGreater(plan.json()["cost"], 0)
        done = self.api.post(f"trials/{trial.pk}/rescore/", {"scorecard": card.number}).json()
        self.assertEqual(done["to_judge"], outputs)
        caller = Scripted(confused)
        run(Trial.objects.get(pk=trial.pk), caller)
        # Equal requests of two arms are paid once.
        self.assertLessEqual(caller.calls, 3 * outputs)
        self.assertEqual(Output.objects.count(), outputs)
        scores = ScoreRow.objects.filter(output__arm__trial=trial, scorecard=card)
        self.assertEqual({round(row.packed["twins"][0], 3) for row in scores}, {0.667})

    def test_about_twins_nothing_is_asked(self):
        rubric = {
            "measure": "rubric",
            "model": "large",
            "criteria": [{"name": "wet", "levels": ["no", "yes"]}],
        }
        self.card(measures=[*CARD["measures"], {**rubric, "weight": 0}])
        data = self.brief.datasets.order_by("id").first()
        made = self.api.post(
            f"briefs/{self.brief.pk}/twins/",
            {"dataset": data.pk, "n_cases": 0, "kinds": ["filler"]},
        ).json()
        body = {"versions": [1], "models": self.small()}
        plan = self.api.post(f"twins/{made['id']}/plan/", body).json()
        self.assertEqual(plan["calls"], made["n_cases"] + made["n_twins"])
        asked = self.api.post(f"twins/{made['id']}/ask/", body).json()
        trial = Trial.objects.get(pk=asked["trial"])
        run(trial, Scripted(confused))
        parts = Call.objects.filter(output__arm__trial=trial).values_list("part", flat=True)
        self.assertEqual(set(parts), {"answer"})
        self.assertEqual(self.api.get(f"trials/{trial.pk}/").json()["unjudged"], 0)


class WatchedTest(WithTwins):
    cases = 60

    def test_a_watch_sees_that_it_holds_less_although_the_score_stays(self):
        self.card()
        trial = start(self.brief, models=self.small())
        always = Scripted(lambda body: "yes")
        run(trial, always)
        arm = trial.arms.order_by("position")[0]
        body = {"arm": arm.pk, "reason": "it holds"}
        verdict = self.api.post(f"briefs/{self.brief.pk}/adopt/", body).json()
        self.api.post(f"verdicts/{verdict['id']}/watch/", {"cases": 20, "planned": 2})
        run(Trial.objects.latest("pk"), always)
        watch = Watch.objects.get()
        self.api.post(f"watches/{watch.pk}/ask/")
        run(Trial.objects.latest("pk"), Scripted(confused))
        standing = self.api.get(f"briefs/{self.brief.pk}/standing/").json()
        check = standing["watch"]["checks"][-1]
        self.assertEqual((check["score"]["drifted"], check["twins"]["drifted"]), (False, True))
        # Four things are watched, and share the level.
        self.assertAlmostEqual(check["twins"]["level"], 0.05 / 8)
        self.assertIn("twins fell by 0.333", check["words"])
