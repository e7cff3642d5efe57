"""Answers in doubt, settled by a person; reasoning, refusals and tools kept apart from the answer."""

from django.test import TransactionTestCase

from nomikon.models.types import Answer, Usage
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.trials.models import Call, OutcomeRuling, Output, ScoreRow, Trial
from nomikon.server.apps.trials.reworking import bring_figures_up
from nomikon.server.apps.trials.settling import doubtful_of
from tests.server.base import Api, Scripted, make_brief, run, start

DOUBTFUL = (
    "I'm sorry, but I can't help with all of that. Yes, it is wet there in most of the months."
)


def answered(text, **more):
    return Answer(text, more.pop("finish", "stop"), Usage(10, 20, 4, 15), 20.0, 5.0, "m", **more)


class SettlingTest(TransactionTestCase):
    def setUp(self):
        self.api = Api()
        self.brief = make_brief(9)

    def trial(self, reply, **more):
        trial = start(self.brief, versions=[1], **more)
        run(trial, Scripted(reply))
        return Trial.objects.get(pk=trial.pk)

    def settle(self, output, outcome, status=200):
        got = self.api.post(f"outputs/{output.pk}/settle/", {"outcome": outcome})
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def test_a_doubtful_answer_is_scored_told_and_settled_for_identical_ones(self):
        trial = self.trial(lambda body: DOUBTFUL)
        outputs = Output.objects.filter(arm__trial=trial)
        self.assertEqual(
            set(outputs.values_list("outcome", "suspected")), {("answered", "declined")}
        )
        told = self.api.get(f"trials/{trial.pk}/").json()["doubtful"]
        self.assertEqual(told["count"], outputs.count())
        self.assertEqual(told["outputs"][0]["suspected"], "declined")
        self.assertEqual(told["outputs"][0]["id"], outputs.order_by("id")[0].pk)
        made = self.settle(outputs[0], "declined")
        self.assertEqual(made["answers"], outputs.count())
        self.assertEqual(set(outputs.values_list("outcome", "suspected")), {("declined", "")})
        self.assertEqual(set(ScoreRow.objects.values_list("total", flat=True)), {0.0})
        self.assertEqual(self.api.get(f"trials/{trial.pk}/").json()["doubtful"]["count"], 0)
        self.assertEqual(Line.objects.get(what="output.settled").facts["answers"], outputs.count())
        # The decision holds for what comes later, and through a change of the rules.
        again = self.trial(lambda body: DOUBTFUL, seed=1)
        later = Output.objects.filter(arm__trial=again)
        self.assertEqual(set(later.values_list("outcome", "suspected")), {("declined", "")})
        self.assertEqual(
            set(ScoreRow.objects.filter(output__in=later).values_list("total", flat=True)), {0.0}
        )
        Output.every.update(outcome_rule=0)
        Trial.objects.update(figures_rule="")
        bring_figures_up(Trial.objects.get(pk=trial.pk), trial.created_at)
        self.assertEqual(set(outputs.values_list("outcome", flat=True)), {"declined"})
        # And is taken back by another one.
        self.settle(outputs[0], "answered")
        self.assertEqual(set(later.values_list("outcome", flat=True)), {"answered"})
        self.assertEqual(OutcomeRuling.objects.count(), 1)

    def test_what_was_declined_for_sure_can_be_an_answer_all_the_same(self):
        trial = self.trial(lambda body: "I'm sorry, but I can't help with that.")
        output = Output.objects.filter(arm__trial=trial)[0]
        self.assertEqual(output.outcome, "declined")
        self.settle(output, "answered")
        output.refresh_from_db()
        self.assertEqual(output.outcome, "answered")
        # Scored as an answer, and wrong as one.
        row = ScoreRow.objects.get(output=output)
        self.assertNotIn("declined", str(row.packed))

    def test_whether_doubt_could_turn_the_verdict(self):
        trial = start(self.brief, models=[Model.objects.first().pk])
        run(trial, Scripted(lambda body: DOUBTFUL))
        leads, behind = trial.arms.all()
        # As if the doubtful answers of the first had been good ones.
        ScoreRow.objects.filter(output__arm=leads).update(total=0.9)
        means = {leads.pk: (0.9, 6), behind.pk: (0.5, 6)}
        self.assertTrue(doubtful_of(trial, means)["turns"])
        # Taken as none they would still lead where few are in doubt.
        ScoreRow.objects.filter(output__arm=leads).update(total=0.01)
        self.assertFalse(doubtful_of(trial, means)["turns"])
        self.assertEqual(doubtful_of(trial, means)["count"], 12)

    def test_what_cannot_be_decided(self):
        trial = self.trial(lambda body: DOUBTFUL)
        output = Output.objects.filter(arm__trial=trial)[0]
        self.assertEqual(self.settle(output, "brilliant", 422)["field"], "outcome")
        self.assertFalse(OutcomeRuling.objects.exists())

    def test_reasoning_is_kept_apart_counted_and_never_scored(self):
        trial = self.trial(
            lambda body: answered("<think>Salt.</think>\nyes", reasoning="In a field.")
        )
        output = Output.objects.filter(arm__trial=trial)[0]
        self.assertEqual((output.text, output.reasoning), ("yes", "In a field.\n\nSalt."))
        self.assertEqual(set(ScoreRow.objects.values_list("total", flat=True)), {1.0})
        call = Call.objects.filter(output=output)[0]
        self.assertEqual((call.tokens_reasoning, call.tokens_cached), (15, 4))
        self.assertIn("<think>", call.text)
        shown = self.api.get(f"outputs/{output.pk}/").json()
        self.assertEqual(
            (shown["reasoning"], shown["calls"][0]["reasoning"]),
            ("In a field.\n\nSalt.", "In a field."),
        )

    def test_a_model_without_reasoning_keeps_its_marks(self):
        Model.objects.update(reasoning="none")
        trial = self.trial(lambda body: "<think>Salt.</think>\nyes")
        self.assertIn("<think>", Output.objects.filter(arm__trial=trial)[0].text)

    def test_refusals_and_tools_in_fields_of_their_own(self):
        trial = self.trial(lambda body: answered("", refusal="I will not."))
        output = Output.objects.filter(arm__trial=trial)[0]
        self.assertEqual((output.outcome, output.text), ("declined", "I will not."))
        trial = self.trial(
            lambda body: answered("", finish="tool_calls", tool_calls=(("look_up", '{"q": 1}'),)),
            seed=2,
        )
        output = Output.objects.filter(arm__trial=trial)[0]
        self.assertEqual(output.outcome, "empty")
        self.assertIn("look_up", output.why)
        call = self.api.get(f"outputs/{output.pk}/").json()["calls"][0]
        self.assertEqual(call["tool_calls"], [{"name": "look_up", "arguments": '{"q": 1}'}])

    def test_prices_of_cached_and_reasoning_tokens(self):
        # In 1, out 2 per million; cached 0.1, reasoning 4: 6·1 + 4·0.1 + 5·2 + 15·4 = 76.4.
        Model.objects.update(
            price_in_nano=10**9,
            price_out_nano=2 * 10**9,
            price_cached_nano=10**8,
            price_reasoning_nano=4 * 10**9,
        )
        trial = self.trial(lambda body: answered("yes"))
        self.assertEqual(Output.objects.filter(arm__trial=trial)[0].cost_nominal, 76_400)
