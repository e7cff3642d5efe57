"""Figures never mix revisions of a rule: what is stored by a former one is worked out anew first."""

import asyncio
from unittest import mock

from django.test import TransactionTestCase
from django.utils import timezone

from nomikon.core.rules import OUTCOME_RULE, SCORE_RULE, figures_rule
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.briefs.reasons import reasons_today
from nomikon.server.apps.connections.calibrations import calibrations_of
from nomikon.server.apps.connections.models import Model, TokenRecord
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.trials.models import Arm, Call, Output, ScoreRow, Trial
from nomikon.server.apps.trials.results import figures_of
from nomikon.server.apps.trials.reworking import bring_figures_up, last_reworked
from tests.server.base import Api, Scripted, better_second, make_brief, plan_of, run, start, who


class ReworkTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(6)
        self.api = Api()
        self.trial = start(self.brief, versions=[2], models=[Model.objects.first().pk])
        run(self.trial, Scripted(better_second))

    def grow_old(self, **outputs):
        """As if all of it had been stored by a former program, with these values."""
        Output.every.update(outcome_rule=0, **outputs)
        ScoreRow.every.update(rule=0)
        Trial.objects.update(figures_rule="", headline=None)

    def mean(self):
        (arm,) = self.api.get(f"trials/{self.trial.pk}/").json()["arms"]
        return arm["mean"]

    def test_what_reads_the_same_is_only_stamped(self):
        before = self.mean()
        calls = Call.objects.count()
        self.grow_old()
        self.assertEqual(self.mean(), before)
        self.assertEqual(set(ScoreRow.every.values_list("rule", "replaced")), {(SCORE_RULE, False)})
        self.assertEqual(set(Output.every.values_list("outcome_rule", flat=True)), {OUTCOME_RULE})
        self.assertEqual(Call.objects.count(), calls)
        self.assertIsNone(last_reworked(self.trial))

    def test_a_former_outcome_is_read_anew_from_the_raw_text_and_it_is_said(self):
        # A former rule took good answers for declined ones.
        self.grow_old(outcome="declined", why="begins with “yes”")
        ScoreRow.every.update(
            total=0.0, ungated=0.0, packed={"normalised-match": [0.0, "declined"]}
        )
        self.assertEqual(self.mean(), 1.0)
        told = self.api.get(f"trials/{self.trial.pk}/").json()["reworked"]
        n = self.trial.n_outputs
        self.assertEqual((told["outcomes"], told["scores"]), (n, n))
        self.assertEqual(set(Output.objects.values_list("outcome", "why")), {("answered", "")})
        # The former scores are kept as replaced; a second look changes nothing.
        self.assertEqual(ScoreRow.every.filter(replaced=True, total=0.0).count(), n)
        self.assertEqual(Line.objects.filter(what="trial.reworked").count(), 1)
        self.mean()
        self.assertEqual(ScoreRow.every.count(), 2 * n)

    def test_the_text_comes_from_the_calls_with_their_continuations(self):
        output = Output.objects.first()
        call = output.calls.get()
        Call.objects.filter(pk=call.pk).update(text="It is certainly", finish_reason="length")
        call.pk, call.position, call.continues = None, 1, True
        call.text, call.finish_reason = "certainly wet, yes.", "stop"
        call.save()
        self.grow_old()
        bring_figures_up(Trial.objects.get(), timezone.now())
        output.refresh_from_db()
        self.assertEqual(output.text, "It is certainly wet, yes.")
        self.assertEqual((output.outcome, output.finish_reason), ("answered", "stop"))

    def test_broken_off_it_goes_on_where_it_was(self):
        self.grow_old(outcome="declined", why="")
        with (
            mock.patch("nomikon.server.apps.trials.reworking.BATCH", 1),
            mock.patch(
                "nomikon.server.apps.trials.reworking.read_answer", side_effect=self.failing_at(3)
            ),
            self.assertRaises(KeyboardInterrupt),
        ):
            bring_figures_up(Trial.objects.get(), timezone.now())
        self.assertEqual(Output.objects.filter(outcome_rule=OUTCOME_RULE).count(), 2)
        self.assertEqual(Trial.objects.get().figures_rule, "")
        self.assertEqual(self.mean(), 1.0)
        self.assertEqual(Trial.objects.get().figures_rule, figures_rule())

    def failing_at(self, n):
        from nomikon.core.trials import read_answer

        asked = []

        def read(*given):
            asked.append(1)
            if len(asked) == n:
                raise KeyboardInterrupt
            return read_answer(*given)

        return read

    def test_a_worker_that_starts_brings_all_of_them_up(self):
        from nomikon.server.process.worker import rework_old

        self.grow_old(outcome="declined", why="")
        asyncio.run(rework_old())
        self.assertEqual(Trial.objects.get().figures_rule, figures_rule())
        self.assertEqual(set(Output.objects.values_list("outcome", flat=True)), {"answered"})

    def test_an_extension_and_a_worker_find_old_rows_reworked(self):
        self.grow_old(outcome="declined", why="")
        from nomikon.server.apps.trials.actions.extend_trial import ExtendTrial
        from nomikon.server.apps.trials.extending import plan_extension

        trial = Trial.objects.get()
        ExtendTrial(plan_extension(trial, repeats=2), **who()).execute()
        run(trial, Scripted(better_second))
        self.assertEqual(set(Output.objects.values_list("outcome_rule", flat=True)), {OUTCOME_RULE})
        self.assertEqual(set(Output.objects.values_list("outcome", flat=True)), {"answered"})

    def test_a_verdict_keeps_what_it_was_given_by_and_tells_the_new_figure_beside(self):
        arm = Arm.objects.get()
        body = {"arm": arm.pk, "against": None, "reason": "it is right"}
        self.assertEqual(self.api.post(f"briefs/{self.brief.pk}/adopt/", body).status_code, 200)
        (told,) = self.api.get(f"briefs/{self.brief.pk}/verdicts/").json()
        self.assertIsNone(told["reworked"])
        self.grow_old()
        half = list(Output.objects.values_list("pk", flat=True))[::2]
        Call.objects.filter(output__in=half).update(text="no")
        (told,) = self.api.get(f"briefs/{self.brief.pk}/verdicts/").json()
        self.assertEqual(told["evidence"]["arm"]["mean"], 1.0)
        self.assertEqual(told["reworked"]["mean"], 0.5)


class ArmTextTest(TransactionTestCase):
    def test_another_way_of_telling_clauses_changes_nothing_that_is_stored(self):
        brief = make_brief(6)
        trial = start(brief, versions=[1], models=[Model.objects.first().pk])
        asked = []

        def reply(body):
            asked.append(body["messages"][0]["content"])
            return "yes"

        with mock.patch("nomikon.core.prompts.leaving_out.clauses_of", side_effect=AssertionError):
            run(trial, Scripted(reply))
        self.assertEqual(len(asked), trial.n_outputs)
        self.assertTrue(all(text.endswith(" wet?") for text in asked))

    def test_reasons_follow_their_clause_when_it_is_numbered_otherwise(self):
        brief = make_brief(3)
        parent = SaveVersion(
            brief, [{"role": "user", "content": "Be brief. Is {{sea}} wet? Say why."}], {}, None,
            "three", **who(),
        ).execute()  # fmt: skip
        reason = {"kind": "amend", "clause": 3, "text": "Say no more.", "reason": "brief",
                  "fault": "", "cases": 0, "outputs": []}  # fmt: skip
        child = SaveVersion(
            brief, [{"role": "user", "content": "Be brief. Is {{sea}} wet? Say no more."}], {},
            parent, "next", **who(), reasons=[reason],
        ).execute()  # fmt: skip
        self.assertEqual(reasons_today(child), [reason])
        # As if a former parser had cut the first sentence in two.
        Version.objects.filter(pk=child.pk).update(
            clause_rule=0, reasons=[{**reason, "clause": 4, "before": "Say why."}]
        )
        child.refresh_from_db()
        self.assertEqual([r["clause"] for r in reasons_today(child)], [3])
        Version.objects.filter(pk=child.pk).update(
            reasons=[{**reason, "clause": 4, "before": "cut otherwise"}]
        )
        child.refresh_from_db()
        self.assertEqual([r["clause"] for r in reasons_today(child)], [0])


class EstimateRuleTest(TransactionTestCase):
    def test_what_was_learnt_of_a_former_estimate_is_not_mixed_with_todays(self):
        model = (make_brief(3), Model.objects.first())[1]
        TokenRecord.objects.create(
            model=model, direction="in", n=50, estimated=100, reported=300, missed=1, rule=0
        )
        self.assertEqual(calibrations_of(model.pk)["in"].factor, 1.0)
        TokenRecord.objects.update(rule=1)
        self.assertEqual(calibrations_of(model.pk)["in"].factor, 3.0)

    def test_a_plan_says_by_which_rule_it_was_told(self):
        brief = make_brief(3)
        trial = start(brief)
        self.assertEqual(trial.estimate["rule"], 1)
        self.assertGreater(plan_of(brief).estimate.calls, 0)


class SoFarTest(TransactionTestCase):
    def test_two_repeats_are_told_from_the_first_answer_on(self):
        brief = make_brief(6)
        trial = start(brief, versions=[2], models=[Model.objects.first().pk], repeats=2)
        run(trial, Scripted(better_second))
        # As it was after three answers: no case had both of its repeats.
        first = list(Output.objects.filter(repeat=0).values_list("pk", flat=True)[:3])
        Call.objects.exclude(output__in=first).delete()
        ScoreRow.objects.exclude(output__in=first).delete()
        Output.objects.exclude(pk__in=first).delete()
        Trial.objects.update(state="paused", message="the budget is spent")
        figures = figures_of(Trial.objects.get())
        self.assertEqual((figures.arms[0].mean, figures.arms[0].n_cases), (1.0, 3))
        got = Api().get(f"trials/{trial.pk}/")
        self.assertEqual(got.status_code, 200, got.content[:300])
        self.assertEqual(got.json()["arms"][0]["mean"], 1.0)
