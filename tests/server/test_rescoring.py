"""Another scorecard over stored answers: no call, the former scores kept, the figures new."""

import json
from unittest import mock

from django.test import SimpleTestCase, TestCase, TransactionTestCase

from nomikon.core.cases import read_csv
from nomikon.core.measures import Score
from nomikon.core.measures.match_values import RegexMatch
from nomikon.core.measures.mishaps import OutOfTimeError
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.trials import rescoring
from nomikon.server.apps.trials.models import Call, ScoreRow
from nomikon.server.apps.trials.packing import packed_score, packed_text, score_in
from tests import second_writer
from tests.server.base import Api, Scripted, make_brief, run, start, who

CARD = {
    "nomikon": "scorecard/1",
    "measures": [{"measure": "length", "unit": "words", "max": 1, "weight": 1}],
}


class RescoringTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(6)
        self.trial = start(self.brief)
        run(self.trial)
        self.api = Api()
        self.card = SaveScorecard(self.brief, CARD, **who()).execute()

    def rescore(self, number, status=200):
        got = self.api.post(f"trials/{self.trial.pk}/rescore/", {"scorecard": number})
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def means(self):
        arms = self.api.get(f"trials/{self.trial.pk}/").json()["arms"]
        return [a["mean"] for a in arms]

    def test_the_figures_change_without_a_call_and_change_back(self):
        calls, before = Call.objects.count(), self.means()
        told = self.rescore(2)
        self.assertEqual(told["outputs"], ScoreRow.objects.filter(scorecard=self.card).count())
        self.assertGreater(told["outputs"], 0)
        after = self.means()
        self.assertNotEqual(before, after)
        self.assertEqual([a["before"] for a in told["arms"]], before)
        self.assertEqual([a["after"] for a in told["arms"]], after)
        self.assertEqual(Call.objects.count(), calls)
        # The former scores were kept: going back scores nothing.
        back = self.rescore(1)
        self.assertEqual((back["outputs"], self.means()), (0, before))

    def test_many_batches_are_written_while_another_writes_too(self):
        # The second writer of the tests writes before each of them (tests/second_writer.py).
        before = second_writer.written
        with mock.patch.multiple(rescoring, BATCH=3, LARGE_BATCH=3):
            told = self.rescore(2)
        self.assertGreater(second_writer.written - before, 3)
        self.assertEqual(told["outputs"], ScoreRow.objects.filter(scorecard=self.card).count())
        self.assertGreater(told["outputs"], 9)

    def test_an_answer_is_shown_with_the_scores_of_the_card_it_is_read_by(self):
        self.rescore(2)
        cell = self.trial.arms.first().outputs.first()
        names = [s["measure"] for s in self.api.get(f"outputs/{cell.pk}/").json()["scores"]]
        self.assertEqual(names, ["length"])

    def test_a_card_of_another_brief_or_a_trial_under_way_is_refused(self):
        self.rescore(9, 404)
        second = start(self.brief)
        got = self.api.post(f"trials/{second.pk}/rescore/", {"scorecard": 2})
        self.assertEqual(got.status_code, 409)


class LabelsTest(TransactionTestCase):
    def test_an_arms_answers_are_counted_by_label_with_the_way_to_each_output(self):
        brief = make_brief(0)
        dataset = brief.datasets.get()
        rows = "sea,reference\n" + "\n".join(
            f"sea {n},{'yes' if n % 2 else 'no'}" for n in range(8)
        )
        uses = {"reference": {"as": "reference"}}
        ImportCases(dataset, read_csv(rows.encode()), uses, "working", **who()).execute()
        trial = start(brief)
        run(trial)
        arm = trial.arms.first()
        api = Api()
        found = api.get(f"trials/{trial.pk}/labels/{arm.pk}/").json()
        self.assertEqual((found["rows"], found["field"]), (["no", "yes"], "(the whole answer)"))
        self.assertEqual(sum(map(sum, found["matrix"])), 8)
        listed = [o["output"] for c in found["cells"] for o in c["outputs"]]
        self.assertEqual(sorted(listed), sorted(arm.outputs.values_list("pk", flat=True)))
        right = sum(
            o.text.strip().lower().startswith(o.revision.reference) for o in arm.outputs.all()
        )
        self.assertAlmostEqual(found["accuracy"], right / 8)
        refused = api.get(f"trials/{trial.pk}/labels/{arm.pk}/?field=x")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("have no label 'x'; there are (the whole answer)", refused.json()["detail"])


class MeasuresListTest(TestCase):
    def test_every_measure_is_offered_with_its_family_and_a_worked_example(self):
        rows = Api().get("measures/").json()
        self.assertGreaterEqual(len(rows), 30)
        self.assertEqual(
            list(dict.fromkeys(r["family"] for r in rows)),
            [
                "match",
                "structure",
                "length",
                "content",
                "overlap",
                "style",
                "faithfulness",
                "use",
                "repeats",
                "twins",
                "judges",
                "own",
            ],
        )
        self.assertTrue(all(r["example"]["output"] and r["description"] for r in rows))


class PackingTest(SimpleTestCase):
    def test_it_is_the_json_that_json_would_write_and_reads_back(self):
        scores = {
            "a": Score(1.0, 'say "hi"\n'),
            "ö": Score(None, "Malmö \u2028 \x00", "not-asked"),
            "c": Score(1 / 3, ""),
        }
        told = packed_text(scores.items())
        self.assertEqual(told, json.dumps({n: packed_score(s) for n, s in scores.items()}))
        self.assertEqual({n: score_in(row) for n, row in json.loads(told).items()}, scores)
        self.assertEqual(packed_text([]), "{}")
        self.assertEqual(json.loads(packed_text([("n", Score(1, "whole"))])), {"n": [1.0, "whole"]})

    def test_rows_from_before_there_were_codes_are_known_by_their_words(self):
        for row, code in (
            ([None, "judgement failed (prose): so"], "unreadable"),
            ([None, "cobble was not asked"], "not-asked"),
            ([0.0, "declined: it opens with “I can't”"], "no-answer"),
            ([0.0, "it says so"], ""),
            ([None, "the case has no reference"], ""),
            ([None, "anything at all", "unreadable"], "unreadable"),
        ):
            with self.subTest(row):
                self.assertEqual(score_in(row).code, code)


class UnscoredTest(TransactionTestCase):
    def test_the_board_says_what_could_not_be_worked_out_and_counts_it_both_ways(self):
        brief = make_brief(6)
        slow = {"measure": "regex", "name": "slow", "pattern": "yes|no"}
        card = {"nomikon": "scorecard/1", "measures": [{"measure": "normalised-match"}, slow]}
        SaveScorecard(brief, card, **who()).execute()
        trial = start(brief, versions=[1])
        searched = RegexMatch.score

        def searching(self, answer):
            if answer.inputs["sea"] in ("sea 1", "sea 3"):
                raise OutOfTimeError
            return searched(self, answer)

        # In this process and not in one of its own: it is what comes of it that counts here.
        with (
            mock.patch.object(RegexMatch, "score", searching),
            mock.patch("nomikon.engine.scoring.pool.is_light", return_value=True),
        ):
            run(trial, Scripted(lambda body: "yes"))
        found = Api().get(f"trials/{trial.pk}/").json()
        (told,) = found["unscored"]
        self.assertEqual((told["measure"], told["count"]), ("slow", 4))
        self.assertIn("could not be worked out: it took longer than a score may", told["why"])
        for arm in found["arms"]:
            self.assertEqual((arm["n"], arm["n_cases"]), (4, 2))
            self.assertAlmostEqual(arm["mean_as_zero"], arm["mean"] * 2 / 4)
