"""An adopted verdict afterwards: what speaks against it, the watch over it, what an adoption answers to."""

from datetime import timedelta
from unittest.mock import patch

from django.db.models import F
from django.test import TransactionTestCase
from django.utils import timezone

from nomikon.core.errors import PlanError
from nomikon.models import Answer, Usage
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.trials.models import OPEN_STATES, WATCH, Call, Trial
from nomikon.server.apps.verdicts.actions.start_watch import ask_due_watches
from nomikon.server.apps.verdicts.models import Watch
from tests.server.base import CARD, Api, Scripted, better_second, make_brief, run, start, who

always = Scripted(lambda body: "yes")


class Slow(Scripted):
    """Every answer takes this long."""

    def __init__(self, latency_ms):
        super().__init__()
        self.latency_ms = latency_ms

    async def call(self, *args, **more):
        return Answer("yes", "stop", Usage(10, 2), self.latency_ms, 5.0, "small v1")


class VerdictAfterwards(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(90)
        self.api = Api()
        self.trial = start(self.brief)
        run(self.trial)
        self.arms = list(self.trial.arms.select_related("version").order_by("position"))

    def adopt(self, arm, reason="it is short", status=200):
        got = self.api.post(f"briefs/{self.brief.pk}/adopt/", {"arm": arm.pk, "reason": reason})
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def standing(self):
        return self.api.get(f"briefs/{self.brief.pk}/standing/").json()


class StandingTest(VerdictAfterwards):
    def test_an_adoption_answers_to_missing_evidence_and_to_figures_against_it(self):
        first = self.arms[0]
        told = self.api.get(f"arms/{first.pk}/adoption/").json()["reservations"]
        self.assertIn("never run on held-out cases", told[0])
        self.assertIn("v2 on small scores 0.500 higher", told[1])
        refused = self.adopt(first, reason=" ", status=422)
        self.assertEqual(refused["field"], "reason")
        self.assertIn("though it was never run on held-out cases and in trial 1", refused["detail"])
        kept = self.adopt(first)
        self.assertEqual(kept["evidence"]["reservations"], told)
        run(start(self.brief, versions=[2], split="held-out"))
        best = next(a for a in self.arms if a.version.number == 2)
        self.assertEqual(self.api.get(f"arms/{best.pk}/adoption/").json()["reservations"], [])

    def test_a_missed_threshold_speaks_against_an_adoption(self):
        card = {**CARD, "thresholds": [{"measure": "total", "at_least": 0.9}]}
        SaveScorecard(self.brief, card, **who()).execute()
        run(start(self.brief, split="held-out"))
        trial = start(self.brief)
        run(trial)
        first, best = trial.arms.order_by("position")[0], trial.arms.order_by("position")[2]
        told = self.api.get(f"arms/{first.pk}/adoption/").json()["reservations"]
        self.assertIn("it misses what the scorecard asks of total: at least 0.9", told[-1])
        self.assertEqual(self.api.get(f"arms/{best.pk}/adoption/").json()["reservations"], [])

    def test_only_a_later_trial_of_the_same_arm_speaks_against_a_verdict(self):
        self.adopt(self.arms[0])
        self.assertEqual(self.standing()["notices"], [])
        run(start(self.brief, versions=[2]))
        self.assertEqual(self.standing()["notices"], [])
        later = start(self.brief)
        run(later)
        (notice,) = self.standing()["notices"]
        self.assertEqual((notice["kind"], notice["trial"]), ("beaten", later.pk))
        self.assertIn("v2 on small scores 0.500 higher than the adopted v1", notice["words"])
        desk = self.api.get("desk/").json()["briefs"][0]
        self.assertIn("Trial 3 speaks against it.", desk["state"])
        stages = {
            s["stage"]: s["words"]
            for s in self.api.get(f"briefs/{self.brief.pk}/").json()["stages"]
        }
        self.assertIn("trial 3 speaks against it", stages["verdict"])


class WatchTest(VerdictAfterwards):
    def begin(self, status=200, **more):
        verdict = self.adopt(self.arms[2])
        body = {"cases": 40, "planned": 3, **more}
        got = self.api.post(f"verdicts/{verdict['id']}/watch/", body)
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def check(self, caller):
        watch = Watch.objects.latest("id")
        got = self.api.post(f"watches/{watch.pk}/ask/")
        self.assertEqual(got.status_code, 200, got.content[:300])
        self.run_open(caller)
        return self.standing()["watch"]["checks"][-1]

    def run_open(self, caller):
        for trial in Trial.objects.filter(state__in=OPEN_STATES):
            run(trial, caller)

    def test_what_it_can_see_is_told_before_and_one_that_cannot_bark_is_refused(self):
        verdict = self.adopt(self.arms[2])
        url = f"verdicts/{verdict['id']}/watch/plan/"
        told = self.api.post(url, {"cases": 40, "planned": 3}).json()
        self.assertIn("A check sees a fall of", told["words"])
        self.assertGreater(told["smallest_fall"], 0)
        few = self.api.post(url, {"cases": 10, "planned": 300}).json()
        self.assertIsNone(few["smallest_fall"])
        self.assertIn("no change could ever raise an alarm", few["words"])
        refused = self.begin(422, cases=10, planned=300)
        self.assertEqual(refused["field"], "cases")
        self.assertFalse(Watch.objects.exists())

    def test_what_stays_is_no_drift_and_what_falls_is_one_with_a_notice(self):
        self.begin()
        first = Scripted(better_second)
        self.run_open(first)
        # Asked anew, not taken from the store.
        self.assertEqual(first.calls, 40)
        watch = self.standing()["watch"]
        self.assertEqual((watch["used"], watch["checks"][0]["number"]), (0, 0))
        self.assertIn("score 1.000, to compare with", watch["checks"][0]["words"])
        same = self.check(Scripted(better_second))
        self.assertFalse(same["drifted"])
        self.assertEqual(same["score"]["change"], 0)
        self.assertAlmostEqual(same["score"]["level"], 0.05 / 9)
        self.assertEqual(self.standing()["notices"], [])

        def wrong_now(body):
            return "no" if int(body["messages"][0]["content"].split()[2]) % 4 == 0 else "yes"

        fell = self.check(Scripted(wrong_now))
        self.assertTrue(fell["drifted"])
        self.assertLess(fell["score"]["high"], 0)
        self.assertIn("score fell by", fell["words"])
        (notice,) = self.standing()["notices"]
        self.assertEqual(notice["kind"], "drift")
        # A watch's trials are no scores of the version, and not what is read under Review.
        reading = self.api.get(f"briefs/{self.brief.pk}/reading/").json()
        self.assertEqual(reading["trial"], self.trial.pk)
        self.check(always)
        refused = self.api.post(f"watches/{Watch.objects.get().pk}/ask/")
        self.assertIn("all 3 planned checks are used", refused.json()["detail"])

    def test_what_it_costs_is_watched_too(self):
        self.begin()
        self.run_open(always)
        from nomikon.models import Answer, Usage

        class Wordy(Scripted):
            async def call(self, *args, **more):
                self.calls += 1
                return Answer("yes", "stop", Usage(10, 9), 20.0, 5.0, "small v2")

        dear = self.check(Wordy())
        self.assertTrue(dear["drifted"])
        self.assertFalse(dear["score"]["drifted"])
        self.assertIn("cost rose by 100%", dear["words"])
        self.assertTrue(dear["changed_identity"])

    def test_a_doubled_time_is_told_and_a_busy_server_told_apart(self):
        self.begin()
        # What the server was asked before took as long.
        Call.objects.update(latency_ms=200.0)
        self.run_open(Slow(200.0))
        self.assertTrue((slow := self.check(Slow(400.0)))["drifted"])
        self.assertIn("time rose by 100%", slow["words"])
        # All of that lies an hour back; then another trial of the same server takes as long, too.
        back = timedelta(hours=1)
        Call.objects.update(answered_at=F("answered_at") - back)
        Trial.objects.update(started_at=F("started_at") - back, finished_at=F("finished_at") - back)
        run(start(self.brief, versions=[1], fresh=True), Slow(410.0))
        busy = self.check(Slow(400.0))
        self.assertFalse(busy["drifted"])
        self.assertTrue(busy["time"]["drifted"])
        self.assertIn("the server's other answers took 2.", busy["words"])

    def test_the_worker_asks_when_the_time_has_come_and_tells_what_stands_in_the_way(self):
        self.begin(every_days=7)
        self.run_open(always)
        now = timezone.now()
        self.assertEqual(ask_due_watches(now + timedelta(days=6)), 0)
        self.assertEqual(ask_due_watches(now + timedelta(days=8)), 1)
        self.assertEqual(Trial.objects.filter(purpose=WATCH).count(), 2)
        # One that still runs is not asked twice; it is tried again a day later.
        self.assertEqual(ask_due_watches(now + timedelta(days=16)), 0)
        self.assertIn("still running", self.standing()["watch"]["trouble"])
        self.run_open(always)
        with patch(
            "nomikon.server.apps.verdicts.actions.start_watch.plan_watch_check",
            side_effect=PlanError("the model is gone"),
        ):
            self.assertEqual(ask_due_watches(now + timedelta(days=30)), 0)
        self.assertEqual(self.standing()["watch"]["trouble"], "the model is gone")
        self.api.post(f"watches/{Watch.objects.get().pk}/stop/")
        self.assertEqual(ask_due_watches(now + timedelta(days=90)), 0)
        self.assertTrue(self.standing()["watch"]["stopped"])

    def test_a_judge_that_cannot_be_read_stops_the_watch_by_itself_not_by_hand(self):
        rubric = {"measure": "rubric", "model": "large",
                  "criteria": [{"name": "wet", "levels": ["no", "yes"]}]}  # fmt: skip
        SaveScorecard(self.brief, {**CARD, "measures": [rubric]}, **who()).execute()

        def judge(body):
            rubric = "Rubric:" in body["messages"][0]["content"]
            return self.says if rubric else "yes"

        self.says = '{"wet": {"level": 2, "reason": "it says so"}}'
        self.trial = start(self.brief)
        run(self.trial, Scripted(judge))
        self.arms = list(self.trial.arms.order_by("position"))
        self.begin(every_days=7)
        self.says = "Wet enough for my taste, I dare say."
        self.run_open(Scripted(judge))
        now = timezone.now()
        self.assertEqual(ask_due_watches(now + timedelta(days=8)), 0)
        told = self.standing()["watch"]
        self.assertIn("40 of 40 answers of trial 3 have no judgement", told["trouble"])
        self.assertIsNone(told["next_at"])
        self.assertEqual(ask_due_watches(now + timedelta(days=90)), 0)
        self.check(Scripted(judge))
        self.assertEqual(self.standing()["watch"]["trouble"], "")

    def test_without_a_first_run_there_is_nothing_to_compare_with(self):
        self.begin()
        Trial.objects.filter(purpose=WATCH).update(state="cancelled")
        got = self.api.post(f"watches/{Watch.objects.get().pk}/ask/")
        self.assertEqual(got.status_code, 422)
        self.assertIn("is cancelled, so there is nothing to compare with", got.json()["detail"])

    def test_what_cannot_be_watched_is_told_at_its_field(self):
        for field, value in (("cases", 61), ("cases", 3), ("planned", 0), ("every_days", 0)):
            got = self.begin(status=422, **{field: value})
            self.assertEqual(got["field"], field)
        self.assertFalse(Watch.objects.exists())
