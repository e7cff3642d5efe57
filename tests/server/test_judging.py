"""Judged trials: the calls an output owns, what fails, judging what is stored, held against marks."""

import json

from django.test import TransactionTestCase

from nomikon.core.cases import read_csv
from nomikon.core.errors import PlanError
from nomikon.models import CallFailure
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.datasets.models import ReferenceCorrection
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.reviews.actions.mark_output import MarkOutput
from nomikon.server.apps.trials.models import Call, Output, ScoreRow, Trial
from tests.server.base import Api, Scripted, make_brief, plan_of, run, start, who

RUBRIC = {
    "measure": "rubric",
    "model": "large",
    "criteria": [{"name": "wet", "levels": ["no", "partly", "yes"]}],
}
CARD = {"nomikon": "scorecard/1", "measures": [{"measure": "normalised-match"}, RUBRIC]}


def judging(level=3, text=None):
    def reply(body):
        asked = body["messages"][-1]["content"]
        if "Rubric:" in asked:
            found = level(asked) if callable(level) else level
            if isinstance(found, CallFailure):
                return found
            return text or json.dumps({"wet": {"level": found, "reason": "it says so"}})
        return "yes"

    return Scripted(reply)


class JudgedTrialTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(6)
        self.api = Api()

    def card(self, document=CARD):
        return SaveScorecard(self.brief, document, **who()).execute()

    def test_judgements_are_calls_of_the_output_and_no_part_of_what_the_arm_costs(self):
        self.card()
        trial = start(self.brief, models=self.small())
        run(trial, judging(2))
        output = Output.objects.filter(arm__trial=trial).first()
        calls = list(output.calls.all())
        self.assertEqual(
            [(c.part, c.step) for c in calls], [("answer", ""), ("judgement", "rubric")]
        )
        self.assertEqual(calls[1].asked_model.name, "large")
        self.assertEqual(output.cost_nominal, calls[0].cost)
        self.assertEqual(output.cost_new, calls[0].cost + calls[1].cost)
        self.assertAlmostEqual(output.scores.get().total, 0.75)
        trial.refresh_from_db()
        self.assertEqual(
            trial.spent_nano, sum(c.cost for c in Call.objects.all() if c.reused_from is None)
        )
        told = self.api.get(f"outputs/{output.pk}/").json()
        self.assertEqual([c["part"] for c in told["calls"]], ["answer", "judgement"])

    def small(self):
        from nomikon.server.apps.connections.models import Model

        return [Model.objects.get(name="small").pk]

    def test_the_estimate_counts_the_judges_calls(self):
        before = plan_of(self.brief).estimate
        self.card()
        after = plan_of(self.brief)
        self.assertEqual(after.estimate.calls, 2 * before.calls)
        self.assertGreater(after.estimate.cost, before.cost)
        self.assertEqual(after.beside.calls, before.calls)

    def test_a_judge_that_is_not_there_is_told_before_anything_is_asked(self):
        self.card({**CARD, "measures": [{**RUBRIC, "model": "nobody"}]})
        with self.assertRaisesRegex(PlanError, "there is no such model"):
            plan_of(self.brief)

    def test_a_failed_judgement_is_missing_and_only_it_is_asked_again(self):
        self.card()
        trial = start(self.brief, models=self.small())
        bad = lambda asked: CallFailure("server_error", "no", attempts=2) if "sea 1" in asked else 3  # noqa: E731
        run(trial, judging(bad))
        trial.refresh_from_db()
        self.assertEqual(trial.state, "complete")
        row = self.api.get(f"trials/{trial.pk}/").json()
        self.assertEqual(row["unjudged"], 2)
        self.assertEqual(sum(a["failed"] for a in row["arms"]), 0)
        missing = ScoreRow.objects.filter(output__arm__trial=trial, total=None)
        self.assertEqual(missing.count(), 2)
        self.assertIn("failed call", missing.first().packed["rubric"][1])
        outputs = Output.objects.count()
        self.assertEqual(self.api.post(f"trials/{trial.pk}/continue/", {}).status_code, 200)
        again = judging(3)
        run(trial, again)
        self.assertLessEqual(again.calls, 2)
        self.assertEqual(Output.objects.count(), outputs)
        self.assertFalse(ScoreRow.objects.filter(output__arm__trial=trial, total=None).exists())
        # What was scored before is kept, and counts no more.
        self.assertEqual(ScoreRow.every.filter(replaced=True).count(), 2)
        self.assertEqual(self.api.get(f"trials/{trial.pk}/").json()["unjudged"], 0)

    def test_a_judge_that_could_not_be_read_is_asked_anew_once_for_each_press(self):
        self.card()
        trial = start(self.brief, models=self.small(), versions=[1])
        run(trial, judging(text="Well, dear reader."))
        told = self.api.get(f"trials/{trial.pk}/").json()
        self.assertEqual((told["unjudged"], told["unscored"][0]["count"]), (4, 4))
        asked = []
        for text, left in (("Hm, it depends.", 4), (None, 0)):
            self.assertEqual(self.api.post(f"trials/{trial.pk}/continue/", {}).status_code, 200)
            again = judging(3, text=text)
            run(trial, again)
            asked.append(again.calls)
            self.assertEqual(self.api.get(f"trials/{trial.pk}/").json()["unjudged"], left)
        # Once more with what is wrong where it cannot be read, and never from the store.
        self.assertEqual(asked, [8, 4])
        # So is one that has no weight, whose missing judgement leaves the total as it is.
        self.card({**CARD, "measures": [CARD["measures"][0], {**RUBRIC, "weight": 0}]})
        light = start(self.brief, models=self.small(), versions=[2])
        run(light, judging(text="Well, dear reader."))
        self.assertEqual(ScoreRow.objects.filter(output__arm__trial=light, total=None).count(), 0)
        self.assertEqual(self.api.post(f"trials/{light.pk}/continue/", {}).status_code, 200)
        again = judging(3)
        run(light, again)
        self.assertEqual(again.calls, 4)
        self.assertEqual(self.api.post(f"trials/{trial.pk}/continue/", {}).status_code, 409)

    def test_a_reply_that_cannot_be_read_is_asked_for_once_more_with_what_is_wrong(self):
        """Its cost is the output's, and what was asked before is not paid for again."""
        self.card()
        trial = start(self.brief, models=self.small(), versions=[1])

        def unclear(body):
            asked = body["messages"]
            if "Rubric:" not in asked[0]["content"]:
                return "yes"
            if len(asked) == 1:
                return '{"wet": {"level": "2 or 3", "reason": "between them"}}'
            assert "2 or 3" in asked[1]["content"] and "could not be used" in asked[2]["content"]
            return '{"wet": {"level": 3, "reason": "it says so"}}'

        run(trial, Scripted(unclear))
        output = Output.objects.first()
        calls = list(output.calls.order_by("position"))
        self.assertEqual(
            [(c.part, c.continues) for c in calls],
            [("answer", False), ("judgement", False), ("judgement", True)],
        )
        self.assertEqual(output.cost_new, sum(c.cost for c in calls))
        self.assertEqual(ScoreRow.objects.first().packed["rubric"][0], 1.0)
        judge = self.api.get(f"trials/{trial.pk}/judges/").json()[0]
        self.assertEqual((judge["judged"], judge["failed"]), (4, 0))

    def test_a_judge_that_shall_not_be_asked_again_is_not(self):
        self.card({**CARD, "measures": [{**RUBRIC, "again": False}]})
        trial = start(self.brief, models=self.small(), versions=[1])
        run(trial, judging(text="It seems rather wet to me."))
        self.assertEqual(Call.objects.filter(part="judgement").count(), 4)
        bad = self.api.post(
            f"briefs/{self.brief.pk}/scorecards/",
            {"document": {**CARD, "measures": [{**RUBRIC, "again": "yes"}]}},
        )
        self.assertIn("again must be true or false", bad.json()["detail"])

    def test_prose_is_a_failed_judgement_not_a_zero(self):
        self.card()
        trial = start(self.brief, models=self.small(), versions=[1])
        run(trial, judging(text="It seems rather wet to me."))
        self.assertEqual(Call.objects.filter(part="judgement").count(), 8)
        row = ScoreRow.objects.first()
        self.assertIsNone(row.total)
        self.assertIn("judgement failed (prose)", row.packed["rubric"][1])
        self.assertIsNone(self.api.get(f"trials/{trial.pk}/").json()["arms"][0]["mean"])

    def test_stored_answers_are_judged_by_a_later_scorecard_at_a_price_told_before(self):
        trial = start(self.brief, models=self.small())
        run(trial, judging())
        card = self.card()
        calls = Call.objects.count()
        plan = self.api.post(f"trials/{trial.pk}/rescore/plan/", {"scorecard": card.number}).json()
        self.assertEqual((plan["judges"], plan["calls"]), (["large"], trial.n_outputs))
        self.assertGreater(plan["cost"], 0)
        told = self.api.post(f"trials/{trial.pk}/rescore/", {"scorecard": card.number}).json()
        self.assertEqual(told["to_judge"], trial.n_outputs)
        trial.refresh_from_db()
        self.assertEqual(trial.state, "queued")
        run(trial, judging(1))
        self.assertEqual(Output.objects.count(), trial.n_outputs)
        self.assertEqual(Call.objects.count(), calls + trial.n_outputs)
        positions = list(Output.objects.first().calls.values_list("position", "part"))
        self.assertEqual(positions, [(0, "answer"), (1, "judgement")])
        arms = self.api.get(f"trials/{trial.pk}/").json()["arms"]
        self.assertEqual([a["mean"] for a in arms], [0.5, 0.5])
        # The way back costs nothing.
        back = self.api.post(f"trials/{trial.pk}/rescore/", {"scorecard": 1}).json()
        self.assertEqual((back["outputs"], back["to_judge"]), (0, 0))

    def test_judges_are_held_against_marks(self):
        self.card()
        trial = start(self.brief, models=self.small())
        run(trial, judging(lambda asked: 3 if "sea 0" in asked or "sea 1" in asked else 1))
        found = self.api.get(f"trials/{trial.pk}/judges/").json()[0]
        self.assertEqual((found["judged"], found["marked"], found["alpha"]), (8, 0, None))
        for output in Output.objects.all():
            good = output.revision.inputs["sea"] in ("sea 0", "sea 1")
            MarkOutput(output.pk, "good" if good else "bad", "", **who()).execute()
        found = self.api.get(f"trials/{trial.pk}/judges/").json()[0]
        self.assertEqual((found["marked"], found["alpha"], found["apart"]), (8, 1.0, []))
        liked = Output.objects.filter(revision__inputs__sea="sea 0").first()
        MarkOutput(liked.pk, "bad", "not at all", **who()).execute()
        found = self.api.get(f"trials/{trial.pk}/judges/").json()[0]
        self.assertLess(found["alpha"], 1.0)
        self.assertEqual(len(found["apart"]), 1)

    def test_thresholds_of_the_scorecard_are_told_arm_by_arm(self):
        self.card({**CARD, "measures": CARD["measures"][:1], "thresholds": [{"at_least": 0.2}]})
        trial = start(self.brief, models=self.small())
        run(trial, judging())
        arm = self.api.get(f"trials/{trial.pk}/").json()["arms"][0]
        self.assertEqual(arm["thresholds"][0]["state"], "met")


class ConsistencyTest(TransactionTestCase):
    def test_totals_come_when_all_repeats_are_in(self):
        brief = make_brief(3)
        SaveScorecard(
            brief,
            {"nomikon": "scorecard/1", "measures": [{"measure": "consistency", "by": "exact"}]},
            **who(),
        ).execute()
        trial = start(brief, repeats=2, versions=[1])
        run(trial, Scripted(lambda body: "yes" if body["seed"] % 2 else "no"))
        self.assertEqual(set(ScoreRow.objects.values_list("total", flat=True)), {0.0})
        second = start(brief, repeats=3, versions=[2])
        run(second, Scripted())
        rows = ScoreRow.objects.filter(output__arm__trial=second)
        self.assertEqual(set(rows.values_list("total", flat=True)), {1.0})


class CorrectionTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(6)
        self.api = Api()
        self.trial = start(self.brief)
        run(self.trial, Scripted(lambda body: "no"))
        self.output = Output.objects.filter(revision__inputs__sea="sea 0").first()

    def correct(self, status=200, **body):
        got = self.api.post(f"revisions/{self.output.revision_id}/correct/", body)
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def test_every_stored_output_is_scored_by_it_without_a_call_and_nothing_is_lost(self):
        calls = Call.objects.count()
        dataset = self.brief.datasets.get()
        found = self.api.client.get(f"/api/datasets/{dataset.pk}/cases/", {"q": "no"}).json()
        self.assertEqual(found["total"], 0)
        told = self.correct(before="yes", reference="no", reason="it is dry")
        self.assertEqual(Call.objects.count(), calls)
        rows = ScoreRow.objects.filter(output__revision=self.output.revision_id)
        self.assertEqual(set(rows.values_list("total", flat=True)), {1.0})
        self.assertEqual(ScoreRow.every.filter(replaced=True).count(), rows.count())
        self.assertEqual(
            (told["trials"][0]["trial"], told["trials"][0]["outputs"]), (1, rows.count())
        )
        arm = told["trials"][0]["arms"][0]
        self.assertEqual((arm["before"], arm["after"]), (0.0, 0.25))
        means = [a["mean"] for a in self.api.get(f"trials/{self.trial.pk}/").json()["arms"]]
        self.assertEqual(means, [0.25] * 4)
        # The grid and what is said of the cases follow, too.
        found = self.api.client.get(f"/api/datasets/{dataset.pk}/cases/", {"q": "no"}).json()
        self.assertEqual(found["total"], 1)
        kept = ReferenceCorrection.objects.get()
        self.assertEqual((kept.before, kept.after, kept.reason), ("yes", "no", "it is dry"))
        entry = Line.objects.get(what="reference.corrected")
        self.assertEqual(entry.facts["outputs"], rows.count())
        # The trial's cases are the same revisions: what comes later stays comparable.
        later = start(self.brief)
        run(later, Scripted(lambda body: "no"))
        self.assertEqual(
            {a["mean"] for a in self.api.get(f"trials/{later.pk}/").json()["arms"]}, {0.25}
        )

    def test_two_that_cross_and_a_trial_under_way_are_refused(self):
        self.correct(before="no", reference="dry", status=422)
        second = start(self.brief)
        run(second, Scripted())
        Trial.objects.filter(pk=second.pk).update(state="running")
        self.correct(before="yes", reference="no", status=409)
        self.assertFalse(ReferenceCorrection.objects.exists())

    def test_a_judge_that_saw_the_reference_must_be_asked_again(self):
        card = SaveScorecard(
            self.brief,
            {
                "nomikon": "scorecard/1",
                "measures": [RUBRIC, {**RUBRIC, "name": "seeing", "reference": True}],
            },
            **who(),
        ).execute()
        self.api.post(f"trials/{self.trial.pk}/rescore/", {"scorecard": card.number})
        run(self.trial, judging(3))
        self.correct(before="yes", reference="no")
        row = ScoreRow.objects.filter(output=self.output, scorecard=card).get()
        self.assertEqual((row.packed["rubric"][0], row.packed["seeing"][0]), (1.0, None))
        left = self.api.get(f"trials/{self.trial.pk}/").json()["unjudged"]
        self.assertEqual(left, 4)


class ConversationTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(0)
        self.dataset = self.brief.datasets.get()
        SaveVersion(
            self.brief,
            [{"role": "system", "content": "You answer about {{sea}}."}],
            {},
            None,
            "talk",
            **who(),
        ).execute()

    def cases(self, conversation):
        rows = (
            f'sea,conversation\nNorth,"{json.dumps(conversation).replace(chr(34), chr(34) * 2)}"\n'
        )
        uses = {"conversation": {"as": "conversation"}}
        ImportCases(self.dataset, read_csv(rows.encode()), uses, "working", **who()).execute()

    def test_each_turn_is_answered_in_one_conversation(self):
        self.cases(["Is it wet?", "And salty?"])
        trial = start(self.brief, versions=[3], models=self.models()[:1])
        seen = []

        def reply(body):
            seen.append([m["content"] for m in body["messages"]])
            return f"answer {len(seen)}"

        run(trial, Scripted(reply))
        output = Output.objects.get()
        self.assertEqual(
            seen[1], ["You answer about North.", "Is it wet?", "answer 1", "And salty?"]
        )
        self.assertEqual(output.text, "answer 2")
        self.assertEqual([t[0] for t in output.turns], ["user", "assistant"] * 2)
        self.assertEqual(trial.estimate["calls"], 2)
        self.assertEqual(output.calls.count(), 2)

    def models(self):
        from nomikon.server.apps.connections.models import Model

        return list(Model.objects.order_by("id").values_list("pk", flat=True))

    def test_a_second_model_plays_the_user_until_it_has_no_more_to_say(self):
        self.cases({"user": "A tired sailor who wants a bed.", "most": 5})
        small, large = self.models()
        plan = plan_of(self.brief, versions=[3], models=[small])
        self.assertIn("choose the model", plan.estimate.problems[0].text)
        spoken = iter(["Where can I sleep?", "Thanks. Is it far?", "END"])
        trial = start(self.brief, versions=[3], models=[small], user_model=large)

        def reply(body):
            asked = body["messages"][0]["content"]
            return next(spoken) if "tired sailor" in asked else "At the inn."

        run(trial, Scripted(reply))
        output = Output.objects.get()
        self.assertEqual(
            [t[1] for t in output.turns],
            ["Where can I sleep?", "At the inn.", "Thanks. Is it far?", "At the inn."],
        )
        parts = list(output.calls.values_list("part", flat=True))
        self.assertEqual(parts, ["user", "answer", "user", "answer", "user"])
        self.assertEqual(output.outcome, "answered")

    def test_stored_turns_are_not_asked_again(self):
        self.cases(["Is it wet?", "And salty?"])
        run(start(self.brief, versions=[3], models=self.models()[:1]), Scripted())
        again = Scripted()
        run(start(self.brief, versions=[3], models=self.models()[:1]), again)
        self.assertEqual(again.calls, 0)
        self.assertEqual(Output.objects.last().turns, Output.objects.first().turns)

    def test_a_turn_may_have_a_mould_in_the_prompt(self):
        SaveVersion(
            self.brief,
            [
                {"role": "system", "content": "Be brief."},
                {"role": "user", "content": "Guest says: {{turn}}"},
            ],
            {},
            None,
            "mould",
            **who(),
        ).execute()
        self.cases(["Hello", "Bye"])
        seen = []
        run(
            start(self.brief, versions=[4], models=self.models()[:1]),
            Scripted(lambda body: seen.append(body["messages"][-1]["content"]) or "Yes."),
        )
        self.assertEqual(seen, ["Guest says: Hello", "Guest says: Bye"])
