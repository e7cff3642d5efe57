"""What was paid stays counted: in pruning, in sharing an answer, in attempts that broke off."""

import asyncio
from datetime import timedelta
from unittest import mock

from django.test import TransactionTestCase
from django.utils import timezone

from nomikon.engine.coordinator import run_trial
from nomikon.engine.executors import LocalExecutor
from nomikon.models import Answer, CallFailure, Usage
from nomikon.models.types import Waste
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.ledger.models import Event
from nomikon.server.apps.ledger.write import emit
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.trials import rescoring
from nomikon.server.apps.trials.answers import stored_answers
from nomikon.server.apps.trials.models import Call, Output, ScoreRow, Trial
from nomikon.server.apps.trials.store import DatabaseStore
from nomikon.server.desk.spending import spend_rows
from nomikon.server.stored.prune import prunable, prune
from tests.server.base import make_brief, run, start, who

YEAR = timedelta(days=365)


def spent():
    return sum(row["cost"] for row in spend_rows())


class PruningTest(TransactionTestCase):
    def setUp(self):
        Model.objects.update(price_in_nano=10**9, price_out_nano=10**9)
        self.brief = make_brief(6)
        Model.objects.update(price_in_nano=10**9, price_out_nano=10**9)
        run(start(self.brief))
        self.now = timezone.now()

    def test_of_what_was_paid_the_texts_go_and_the_price_stays(self):
        emit("trial:1", "outputs", {}, now=self.now - YEAR)
        old = list(Output.every.order_by("id")[:5].values_list("pk", flat=True))
        Output.every.filter(pk__in=old).update(superseded_by=1, created_at=self.now - YEAR)
        # One was marked, one served another request, one cost nothing.
        Mark.objects.create(output_id=old[0], reader="you", judgement="good", created_at=self.now)
        Call.objects.filter(output=Output.every.last()).update(
            reused_from=Call.objects.get(output=old[1])
        )
        Call.objects.filter(output=old[2]).update(cost=None)
        before, count = spent(), Output.every.count()
        key = Call.objects.get(output=old[3]).answer_key
        self.assertIn(key, stored_answers([key]))
        self.assertEqual(prunable(self.now, 400).answers, 0)
        self.assertEqual(prunable(self.now, 30).answers, 3)
        found = prune(self.now, 30)
        self.assertEqual((found.answers, found.events), (3, 1))
        self.assertEqual((spent(), Output.every.count()), (before, count - 1))
        texts = [Output.every.get(pk=pk).text for pk in (old[0], old[1], old[3], old[4])]
        self.assertEqual([bool(t) for t in texts], [True, True, False, False])
        # A text that is gone answers nothing.
        self.assertEqual(stored_answers([key]), {})
        self.assertEqual(prunable(self.now, 30).answers, 0)
        self.assertTrue(Event.objects.exists())


class Wasteful:
    """Answers after a moment; every first attempt at a case has broken off."""

    async def call(self, connection, model, body, *, on_text=None, priority=1):
        await asyncio.sleep(0.02)
        if "sea 5" in str(body):
            raise CallFailure("dropped_stream", "", attempts=4, waste=Waste(400, 40))
        return Answer("no", "stop", Usage(100, 10), waste=Waste(100, 5), attempts=2)


class PaidOnceTest(TransactionTestCase):
    def test_two_trials_at_once_share_what_is_equal_and_count_what_broke_off(self):
        brief = make_brief(6)
        Model.objects.update(price_in_nano=10**12, price_out_nano=10**12)
        trials = [start(brief), start(brief)]
        executor = LocalExecutor(Wasteful())

        async def both():
            stores = [DatabaseStore(t.pk, clock=timezone.now) for t in trials]
            return await asyncio.gather(*(run_trial(s, executor) for s in stores))

        self.assertEqual(asyncio.run(both()), ["complete", "complete"])
        n = Output.objects.count()
        answered = Call.objects.filter(tokens_out__isnull=False)
        paid = answered.filter(reused_from=None)
        self.assertEqual(answered.count(), 2 * paid.count())
        self.assertEqual({c.attempts for c in answered.exclude(reused_from=None)}, {0})
        failed = Output.objects.exclude(failure="").count()
        self.assertEqual(answered.count() + failed, n)
        # 110 tokens an answer and 105 of its broken attempt, 440 of each that failed.
        price = 10**6 * (paid.count() * 215 + failed * 440)
        self.assertEqual(sum(Trial.objects.values_list("spent_nano", flat=True)), price)
        self.assertEqual(spent(), price)


class GroupedTest(TransactionTestCase):
    def setUp(self):
        # Scorecards are remembered by their ids, which begin anew with every test.
        rescoring._read.cache_clear()
        self.addCleanup(rescoring._read.cache_clear)

    def test_measures_over_repeats_that_a_kill_left_waiting_come_with_the_next_start(self):
        brief = make_brief(3)
        card = {"nomikon": "scorecard/1", "measures": [{"measure": "consistency", "by": "exact"}]}
        SaveScorecard(brief, card, **who()).execute()
        trial = start(brief, repeats=2)
        with mock.patch("nomikon.server.apps.trials.store.regroup", return_value={}):
            run(trial)
        rows = ScoreRow.objects.filter(output__arm__trial=trial)
        self.assertEqual(set(rows.values_list("total", flat=True)), {None})
        # As the worker finds a trial whose process was killed.
        Trial.objects.filter(pk=trial.pk).update(state="running")
        DatabaseStore(trial.pk, clock=timezone.now).load()
        self.assertNotIn(None, rows.values_list("total", flat=True))
