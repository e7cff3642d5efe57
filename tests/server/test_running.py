"""Pausing, extending, asking afresh, learning from counts: trials run in this process."""

import asyncio
import json
from dataclasses import replace
from decimal import Decimal
from unittest import mock

from django.db import OperationalError
from django.test import TestCase, TransactionTestCase
from django.utils import timezone

from nomikon.cli.headless import FileStore
from nomikon.core.cases import read_csv
from nomikon.core.errors import DomainError
from nomikon.core.results import arm_figures, compared, counts_of, merits
from nomikon.engine.coordinator import remaining_units, run_trial
from nomikon.engine.executors import LocalExecutor
from nomikon.engine.results import results_table
from nomikon.engine.run_unit import run_unit
from nomikon.engine.store import StoreBusyError
from nomikon.models import Answer, CallFailure, Usage
from nomikon.server.apps.connections.models import Model, TokenRecord
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.trials.actions.ask_afresh import AskAfresh
from nomikon.server.apps.trials.actions.extend_trial import ExtendTrial
from nomikon.server.apps.trials.extending import plan_extension
from nomikon.server.apps.trials.models import Call, Output, ScoreRow, Trial
from nomikon.server.apps.trials.results import results_of
from nomikon.server.apps.trials.store import DatabaseStore, may_pass
from nomikon.server.process.worker import fail
from tests.server.base import Api, Scripted, better_second, make_brief, plan_of, run, start, who


class AgreementTest(TransactionTestCase):
    def test_page_and_command_line_read_the_same_figures(self):
        """One trial, run into the database and by `nomikon run`'s own store."""
        trial = start(make_brief(12), repeats=2)

        def mixed(body):
            # By the case, not by the order in which calls come.
            n = int(body["messages"][0]["content"].split()[2])
            return CallFailure("timeout", "late") if n == 3 else "yes" if n % 2 else "no"

        spec = DatabaseStore(trial.pk, clock=timezone.now).load()
        run(trial, Scripted(mixed))
        trial.refresh_from_db()
        held = FileStore(spec)
        asyncio.run(run_trial(held, LocalExecutor(Scripted(mixed))))
        here, there = results_of(trial), results_table(spec, held.results, complete=True)
        self.assertEqual(here.arms, there.arms)
        self.assertGreater(counts_of(here)[here.arms[0]].failed, 0)
        for figure in (arm_figures, counts_of, merits):
            self.assertEqual(figure(here), figure(there))
        # The page tests at 0.04: the rest is kept for extensions, which a file has none of.
        self.assertEqual((here.alpha, there.alpha), (0.04, 0.05))
        there = replace(there, alpha=here.alpha, reference=here.reference)
        self.assertEqual(
            compared(here, against=here.arms[0]), compared(there, against=here.arms[0])
        )


class ExtendTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(6)
        self.models = list(Model.objects.order_by("id").values_list("id", flat=True))
        self.trial = start(self.brief, versions=[1], models=self.models[:1])
        run(self.trial)
        self.trial.refresh_from_db()
        self.before = set(Output.objects.values_list("pk", flat=True))

    def extend(self, **more):
        made = plan_extension(self.trial, **more)
        ExtendTrial(made, **who()).execute()
        caller = Scripted(better_second)
        self.assertEqual(run(self.trial, caller), "complete")
        self.trial.refresh_from_db()
        return made, caller

    def test_repeats_are_added_and_the_rest_is_not_asked_again(self):
        made, caller = self.extend(repeats=3)
        self.assertEqual((made.added, caller.calls, Output.objects.count()), (8, 8, 12))
        self.assertLess(self.before, set(Output.objects.values_list("pk", flat=True)))
        self.assertEqual((self.trial.repeats, self.trial.extensions), (3, 1))
        seeds = set(Call.objects.values_list("request__seed", flat=True))
        self.assertEqual(seeds, {0, 1, 2})

    def test_an_arm_is_added_once(self):
        made, caller = self.extend(versions=[1, 2], models=self.models[:1])
        self.assertEqual((len(made.arms), caller.calls), (1, 4))
        self.assertEqual(list(self.trial.arms.values_list("position", flat=True)), [0, 1])
        with self.assertRaisesRegex(DomainError, "nothing is added"):
            plan_extension(self.trial, versions=[1], models=self.models[:1])

    def test_cases_that_came_since_are_added(self):
        dataset = self.brief.datasets.get()
        more = read_csv(b"sea,reference\nsea 90,yes\nsea 91,yes\n")
        ImportCases(dataset, more, {"reference": {"as": "reference"}}, "working", **who()).execute()
        later = dataset.versions.order_by("-number").first()
        made, caller = self.extend(dataset_version=later.pk, repeats=2)
        # Two new cases twice, and the four former ones once more.
        self.assertEqual((made.added, caller.calls, self.trial.n_cases), (8, 8, 6))

    def test_refusals_change_nothing(self):
        dataset = self.brief.datasets.get()
        later = dataset.versions.order_by("-number").first()
        entries = later.entries.filter(split="working")
        entries.filter(pk=entries.first().pk).update(split="held-out")
        other = start(make_brief(3, "Other"))
        for more, field in [
            ({"repeats": 0}, "repeats"),
            ({"repeats": 10_000}, "repeats"),
            ({"versions": [9], "models": self.models[:1]}, "versions"),
            ({"versions": [1]}, "models"),
            ({"dataset_version": other.dataset_version_id}, "dataset_version"),
            ({}, "repeats"),
        ]:
            with self.subTest(more=more), self.assertRaises(DomainError) as caught:
                plan_extension(self.trial, **more)
            self.assertEqual(caught.exception.field, field)

    def test_the_api_plans_and_extends(self):
        api = Api()
        plan = api.post(f"trials/{self.trial.pk}/extension/", {"repeats": 2}).json()
        self.assertEqual((plan["added"], plan["in_store"]), (4, 0))
        row = api.post(f"trials/{self.trial.pk}/extend/", {"repeats": 2}).json()
        self.assertEqual((row["state"], row["n_outputs"]), ("queued", 8))
        again = api.post(f"trials/{self.trial.pk}/extend/", {"repeats": 3})
        self.assertEqual(again.status_code, 409)


class AfreshTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(3)
        self.trial = start(self.brief, models=[Model.objects.first().pk])
        run(self.trial)
        self.api = Api()

    def test_one_output_is_asked_again_and_the_former_is_kept(self):
        old = Output.objects.first()
        AskAfresh(self.trial.pk, output=old.pk, **who()).execute()
        caller = Scripted(lambda body: "no")
        run(self.trial, caller)
        new = Output.objects.get(arm=old.arm, revision=old.revision, repeat=old.repeat)
        self.assertEqual((caller.calls, new.text), (1, "no"))
        self.assertNotEqual(new.pk, old.pk)
        shown = self.api.get(f"outputs/{new.pk}/").json()
        self.assertEqual([f["id"] for f in shown["former"]], [old.pk])
        self.assertFalse(self.api.get(f"outputs/{old.pk}/").json()["current"])
        # The board counts each cell once, the purse both calls.
        summary = self.api.get(f"trials/{self.trial.pk}/").json()
        self.assertEqual(summary["done"], summary["n_outputs"])
        self.assertGreater(summary["spent"], summary["nominal"])

    def test_asked_again_twice_it_is_never_the_stored_answer(self):
        for turn in range(3):
            AskAfresh(self.trial.pk, arm=self.trial.arms.first().pk, **who()).execute()
            caller = Scripted(lambda body: "no")
            run(self.trial, caller)
            with self.subTest(turn=turn):
                self.assertEqual(caller.calls, 2)
        keys = list(Call.objects.values_list("answer_key", flat=True))
        self.assertEqual(len(keys), len(set(keys)))

    def test_what_is_not_there_is_refused(self):
        other = start(make_brief(3, "Other"))
        reply = self.api.post(f"trials/{self.trial.pk}/afresh/", {"arm": other.arms.first().pk})
        self.assertEqual((reply.status_code, reply.json()["field"]), (422, "arm"))
        self.assertEqual(Trial.objects.get(pk=self.trial.pk).state, "complete")

    def test_a_failed_call_that_is_asked_again_is_kept_too(self):
        trial = start(self.brief, models=[Model.objects.last().pk])
        run(trial, Scripted(lambda body: CallFailure("server_error", "HTTP 500")))
        self.api.post(f"trials/{trial.pk}/continue/")
        run(trial)
        self.assertEqual(Output.objects.filter(arm__trial=trial).exclude(failure="").count(), 0)
        self.assertEqual(Output.every.filter(arm__trial=trial).exclude(failure="").count(), 4)


class Slow(Scripted):
    """Slow enough for a wish to be heard before all is done."""

    async def call(self, *args, **more):
        await asyncio.sleep(0.04)
        return await super().call(*args, **more)


class PauseTest(TransactionTestCase):
    def test_a_pause_is_asked_for_and_gone_on_from(self):
        api = Api()
        trial = start(make_brief(30))
        self.assertEqual(api.post(f"trials/{trial.pk}/pause/").json()["asked"], "pause")
        self.assertEqual(run(trial, Slow(better_second)), "paused")
        trial.refresh_from_db()
        self.assertEqual((trial.state, trial.asked, trial.message), ("paused", "", ""))
        there = Output.objects.count()
        self.assertLess(there, trial.n_outputs)
        self.assertEqual(api.post(f"trials/{trial.pk}/continue/").json()["state"], "queued")
        caller = Scripted(better_second)
        run(trial, caller)
        self.assertEqual((Output.objects.count(), caller.calls), (80, 80 - there))

    def test_a_continued_trial_enters_its_cost_in_the_ledger_once(self):
        trial = start(make_brief(30))
        Api().post(f"trials/{trial.pk}/pause/")
        run(trial, Slow(better_second))
        Api().post(f"trials/{trial.pk}/continue/")
        run(trial)
        trial.refresh_from_db()
        lines = Line.objects.filter(what="trial.ended").values_list("cost_nano", flat=True)
        self.assertEqual((len(lines), sum(lines)), (2, trial.spent_nano))
        spend = Api().get("spend/").json()
        self.assertEqual({s["name"] for s in spend}, {"Tides"})
        self.assertEqual(sum(s["cost"] for s in spend), trial.spent_nano)
        self.assertEqual(spend[0]["month"], timezone.now().strftime("%Y-%m"))


class LearningTest(TransactionTestCase):
    def test_estimates_follow_what_the_servers_counted(self):
        brief = make_brief(30)

        class Counting(Scripted):
            async def call(self, connection, model, body, **more):
                return Answer("yes", "stop", Usage(90, 7), 5.0, 1.0, "small v1")

        first = start(brief)
        run(first, Counting())
        record = TokenRecord.objects.filter(direction="in").first()
        self.assertEqual(record.n, 40)
        second = start(brief, fresh=True)
        run(second, Counting())
        first.refresh_from_db()
        second.refresh_from_db()
        missed = [abs(t.estimate["cost"] / t.spent_nano - 1) for t in (first, second)]
        self.assertGreater(missed[0], 0.5)
        self.assertLess(missed[1], 0.02)
        shown = Api().get("connections/").json()[0]["models"][0]
        self.assertEqual(shown["calls_seen"], 80)
        self.assertGreater(shown["error_in"], 0)


class TroubleTest(TransactionTestCase):
    def test_what_sqlite_refuses_for_now_is_waited_for(self):
        for words, passes in [
            ("database is locked", True),
            ("database or disk is full", True),
            ("attempt to write a readonly database", True),
            ("disk I/O error", True),
            ("no such table: trials_output", False),
        ]:
            with self.subTest(words=words):
                self.assertEqual(may_pass(OperationalError(words)), passes)

    def test_a_full_disk_in_the_middle_of_a_batch_leaves_nothing_half(self):
        trial = start(make_brief(6))
        full = OperationalError("database or disk is full")
        again = DatabaseStore(trial.pk, clock=timezone.now)
        spec = again.load()
        run_results = self.results_of(spec)
        with (
            mock.patch("nomikon.server.apps.trials.store.emit", side_effect=full),
            self.assertRaises(StoreBusyError),
        ):
            again.save(run_results)
        self.assertEqual((Output.objects.count(), Call.objects.count()), (0, 0))
        again.save(run_results)
        self.assertEqual(Output.objects.count(), len(run_results))

    def results_of(self, spec):
        """Results of a trial's first arm, had without a store."""
        units = [u for u in remaining_units(spec, set()) if u.arm is spec.arms[0]]
        document = json.dumps(spec.scorecard)

        async def all_of_them():
            return [await run_unit(u, Scripted(better_second), document) for u in units]

        return asyncio.run(all_of_them())

    def test_a_person_is_told_what_was_not_stored(self):
        api = Api()
        full = OperationalError("attempt to write a readonly database")
        with mock.patch("nomikon.server.apps.ledger.write.Line.objects.create", side_effect=full):
            got = api.post("briefs/", {"name": "Read-only", "job": "", "task": "other"})
        self.assertEqual((got.status_code, got.json()["title"]), (503, "database_read_only"))
        self.assertIn("nothing was changed", got.json()["detail"])
        self.assertNotIn(b"Read-only", api.get("desk/").content)


class ContinuationTest(TransactionTestCase):
    def test_a_cut_answer_is_continued_and_every_call_kept(self):
        brief = make_brief(3)
        trial = start(brief, versions=[1], models=[Model.objects.first().pk], continuations=1)

        class Cutting(Scripted):
            async def call(self, connection, model, body, **more):
                self.calls += 1
                if len(body["messages"]) == 1:
                    return Answer("It is certainly", "length", Usage(10, 3), 5.0, 1.0, "small v1")
                return Answer("It is certainly wet.", "stop", Usage(20, 5), 5.0, 1.0, "small v1")

        caller = Cutting()
        run(trial, caller)
        output = Output.objects.first()
        self.assertEqual((caller.calls, output.text, output.outcome),
                         (4, "It is certainly wet.", "answered"))  # fmt: skip
        self.assertEqual((output.tokens_in, output.tokens_out), (30, 8))
        # 30 in at 1 and 8 out at 2 a million, in billionths.
        self.assertEqual(output.cost_new, 30_000 + 16_000)
        shown = Api().get(f"outputs/{output.pk}/").json()["calls"]
        self.assertEqual([c["continues"] for c in shown], [False, True])
        # The next plan of this model counts with as many continuations, and with none where none is wanted.
        choice = {"versions": [1], "models": [Model.objects.first().pk]}
        once, more = (plan_of(brief, **choice, continuations=k).estimate for k in (0, 2))
        self.assertEqual((once.calls, more.calls), (2, 2 + 2 * 2))
        self.assertGreater(more.cost, 2 * once.cost)

    def test_too_many_are_refused(self):
        with self.assertRaises(DomainError) as caught:
            start(make_brief(3), continuations=99)
        self.assertEqual(caught.exception.field, "continuations")


class BudgetAfterwardsTest(TestCase):
    def test_a_budget_counts_what_was_spent_on_replaced_answers(self):
        trial = start(make_brief(3))
        trial.budget_nano, trial.spent_nano, trial.state = 10, 10, "complete"
        trial.save()
        with self.assertRaisesRegex(DomainError, "there is no answer"):
            AskAfresh(trial.pk, **who()).execute()
        made = plan_extension(trial, repeats=2)
        with self.assertRaisesRegex(DomainError, "budget is spent"):
            ExtendTrial(made, **who()).execute()
        self.assertEqual(Trial.objects.get(pk=trial.pk).repeats, 1)
        ExtendTrial(made, **who(), budget=Decimal(1)).execute()
        self.assertEqual(Trial.objects.get(pk=trial.pk).state, "queued")


class FailTrialTest(TransactionTestCase):
    def test_a_trial_that_cannot_go_on_says_why_in_state_and_ledger(self):
        brief = make_brief(3)
        trial = start(brief)
        Trial.objects.filter(pk=trial.pk).update(state="running", spent_nano=70, ledgered_nano=30)
        fail(trial.pk, "its text cannot be read")
        trial.refresh_from_db()
        self.assertEqual((trial.state, trial.message), ("failed", "its text cannot be read"))
        self.assertEqual((trial.ledgered_nano, trial.asked), (70, ""))
        line = Line.objects.filter(what="trial.ended").get()
        self.assertEqual((line.facts["state"], line.facts["why"]),
                         ("failed", "its text cannot be read"))  # fmt: skip
        self.assertEqual(line.cost_nano, 40)
        # It can be gone on with, like any that ended.
        self.assertEqual(Api().post(f"trials/{trial.pk}/continue/").status_code, 200)

    def test_one_that_has_ended_meanwhile_is_left_as_it_is(self):
        trial = start(make_brief(3))
        run(trial)
        lines = Line.objects.count()
        fail(trial.pk, "too late")
        trial.refresh_from_db()
        self.assertEqual((trial.state, trial.message), ("complete", ""))
        self.assertEqual(Line.objects.count(), lines)


class OneFaultTest(TransactionTestCase):
    """What nobody thought of costs one output; what was put right meanwhile counts."""

    def setUp(self):
        self.brief = make_brief()
        self.model = Model.objects.get(name="small").pk

    def test_an_answer_that_cannot_be_taken_or_stored_is_one_failure(self):
        def reply(body):
            text = body["messages"][0]["content"]
            if "sea 1" in text:
                raise ZeroDivisionError("nobody thought of this")
            return (
                Answer("\ud800", "stop", Usage(10, 2), 20.0, 5.0, "m") if "sea 3" in text else "yes"
            )

        trial = start(self.brief, versions=[2], models=[self.model])
        self.assertEqual(run(trial, Scripted(reply)), "complete")
        found = {o.revision.case.number: o for o in Output.objects.select_related("revision__case")}
        self.assertEqual({n: o.failure for n, o in found.items()},
                         {1: "", 2: "unforeseen", 4: "unforeseen", 5: ""})  # fmt: skip
        self.assertIn("ZeroDivisionError", found[2].why)
        self.assertIn("storing", found[4].why)
        # What the one that cannot be stored cost is paid and told.
        self.assertGreater(found[4].cost_new, 0)
        trial.refresh_from_db()
        self.assertEqual(trial.spent_nano, sum(o.cost_new or 0 for o in found.values()))

    def test_a_reference_put_right_during_the_trial_is_what_is_scored_by(self):
        revision = CaseRevision.objects.get(case__number=1)

        trial = start(self.brief, versions=[2], models=[self.model])
        store = DatabaseStore(trial.pk, clock=timezone.now)
        done = store.done

        def put_right():
            # The trial has read its cases by now.
            CaseRevision.objects.filter(pk=revision.pk).update(reference="no")
            return done()

        with mock.patch.object(store, "done", put_right):
            asyncio.run(run_trial(store, LocalExecutor(Scripted(lambda body: "no"))))
        scores = dict(ScoreRow.objects.values_list("output__revision__case__number", "total"))
        self.assertEqual(scores, {1: 1.0, 2: 0.0, 4: 0.0, 5: 0.0})
