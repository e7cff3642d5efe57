"""Scores are worked out while nobody waits to write, and a lock in between doubles nothing."""

from contextlib import contextmanager
from unittest import mock

from django.db import OperationalError, connection
from django.test import TransactionTestCase
from django.utils import timezone

from nomikon.core.rules import figures_rule
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.trials import rescoring
from nomikon.server.apps.trials.actions.correct_reference import CorrectReference
from nomikon.server.apps.trials.models import Output, ScoreRow, Trial
from nomikon.server.apps.trials.reworking import bring_figures_up
from nomikon.server.apps.trials.store import DatabaseStore
from tests.server.base import Api, Scripted, make_brief, run, start, who
from tests.server.test_settling import DOUBTFUL

CARD = {
    "nomikon": "scorecard/1",
    "measures": [{"measure": "normalised-match"}, {"measure": "consistency", "by": "exact"}],
}
score_many = rescoring.score_many


@contextmanager
def nobody_waiting():
    """Every score is worked out outside of a transaction; gives how many jobs there were."""
    seen = []

    def scored(jobs):
        for job in jobs:
            seen.append(connection.in_atomic_block)
            yield from score_many([job])

    with mock.patch.object(rescoring, "score_many", scored):
        yield seen
    assert seen, "nothing was scored"
    assert not any(seen), "a score was worked out while others waited to write"


class ScoringApartTest(TransactionTestCase):
    def setUp(self):
        # Scorecards are remembered by their ids, which begin anew with every test.
        rescoring._read.cache_clear()
        self.addCleanup(rescoring._read.cache_clear)
        self.brief = make_brief(6)
        self.card = SaveScorecard(self.brief, CARD, **who()).execute()

    def trial(self, reply="yes", **more):
        trial = start(self.brief, versions=[1], repeats=2, **more)
        run(trial, Scripted(lambda body: reply))
        return Trial.objects.get(pk=trial.pk)

    def totals(self, trial):
        rows = ScoreRow.objects.filter(output__arm__trial=trial, scorecard=self.card)
        return set(rows.values_list("total", flat=True))

    def correct(self, revision, reference, before="yes"):
        return CorrectReference(
            revision.pk, before, reference, "looked it up", "tester", timezone.now()
        ).execute()

    def test_a_reference_put_right(self):
        trial = self.trial()
        revision = trial.arms.first().outputs.first().revision
        with nobody_waiting():
            done = self.correct(revision, "no")
        self.assertEqual(done.trials[0]["outputs"], 4)
        rows = ScoreRow.objects.filter(output__revision=revision, scorecard=self.card)
        # Right by nothing any more, and the two repeats agree all the same.
        self.assertEqual(set(rows.values_list("total", flat=True)), {0.5})
        self.assertEqual({r.packed["normalised-match"][0] for r in rows}, {0.0})

    def test_answers_that_come_while_a_reference_is_put_right_are_scored_by_it(self):
        revision = self.trial().arms.first().outputs.first().revision
        anew, late = rescoring.scored_anew, []

        def meanwhile(pk, reference):
            found = anew(pk, reference)
            if not late:
                late.append(self.trial(seed=5))
            return found

        with mock.patch(
            "nomikon.server.apps.trials.actions.correct_reference.scored_anew", meanwhile
        ):
            done = self.correct(revision, "no")
        self.assertEqual([row["outputs"] for row in done.trials], [4, 4])
        rows = ScoreRow.objects.filter(output__revision=revision, output__arm__trial=late[0])
        self.assertEqual(set(rows.values_list("total", flat=True)), {0.5})

    def test_a_reference_put_right_while_a_trial_runs(self):
        trial = start(self.brief, versions=[1], repeats=2)
        store = DatabaseStore(trial.pk, clock=timezone.now)
        load = store.load

        def loaded():
            spec = load()
            CaseRevision.objects.filter(pk=int(spec.cases[0].key)).update(reference="no")
            return spec

        with (
            nobody_waiting(),
            mock.patch.object(DatabaseStore, "load", lambda self: load()),
            mock.patch("tests.server.base.DatabaseStore", return_value=store),
            mock.patch.object(store, "load", loaded),
        ):
            run(trial, Scripted())
        trial.refresh_from_db()
        self.assertEqual((trial.state, trial.figures_rule), ("complete", figures_rule()))
        self.assertEqual(self.totals(trial), {1.0, 0.5})
        self.assertEqual(ScoreRow.objects.filter(output__arm__trial=trial).count(), 16)

    def test_an_outcome_decided_and_a_rule_that_changed(self):
        trial = self.trial(DOUBTFUL)
        output = Output.objects.filter(arm__trial=trial)[0]
        with nobody_waiting():
            Api().post(f"outputs/{output.pk}/settle/", {"outcome": "declined"})
        self.assertEqual(self.totals(trial), {0.0})
        ScoreRow.objects.update(rule=0, total=0.3)
        Trial.objects.update(figures_rule="")
        with nobody_waiting():
            bring_figures_up(Trial.objects.get(pk=trial.pk), timezone.now())
        self.assertEqual(self.totals(trial), {0.0})

    def test_a_lock_between_a_batch_and_its_groups_doubles_nothing(self):
        trial = start(self.brief, versions=[1], repeats=2)
        regroup, refused = rescoring.regroup, []

        def busy(*given):
            if not refused:
                refused.append(1)
                raise OperationalError("database is locked")
            return regroup(*given)

        with (
            mock.patch("nomikon.server.apps.trials.store.regroup", busy),
            self.assertLogs("nomikon.store", "WARNING"),
        ):
            run(trial, Scripted())
        trial.refresh_from_db()
        outputs = Output.every.filter(arm__trial=trial)
        self.assertEqual((trial.state, outputs.count()), ("complete", 16))
        self.assertFalse(outputs.exclude(failure="").exists())
        self.assertEqual(self.totals(trial), {1.0})
