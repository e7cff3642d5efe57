"""Racing and rounds by themselves: who is dropped, who is kept, which faults whom, what a gap says."""

import unittest

import numpy as np
from scipy import stats

from nomikon.core.errors import PlanError
from nomikon.core.stats import compare
from nomikon.core.stats.gap import gap_of_gains
from nomikon.core.stats.means import ScoreRow
from nomikon.core.trials.racing import ALPHA, LOOKS, look_points, losers
from nomikon.core.trials.rounds import best_credible, check_rounds, deal_faults


class RacingTest(unittest.TestCase):
    def test_five_looks_evenly_and_never_at_the_end(self):
        self.assertEqual(look_points(120), (20, 40, 60, 80, 100))
        self.assertEqual(look_points(3), (1, 2))
        self.assertEqual(look_points(1), ())

    def test_an_arm_is_dropped_exactly_where_its_one_sided_p_is_under_the_level(self):
        # Pass or fail: against all right, k wrong give a one-sided p of 0.5 to the k (sign test).
        level = ALPHA / (LOOKS * 1)
        for wrong in range(1, 12):
            means = np.ones((20, 2))
            means[:wrong, 1] = 0
            p = stats.binomtest(wrong, wrong, 0.5, alternative="greater").pvalue
            found = losers(means, 2)
            self.assertEqual(bool(found), p < level, wrong)
            if found:
                self.assertEqual((found[0].arm, found[0].against), (1, 0))
                self.assertAlmostEqual(found[0].p, p)

    def test_more_arms_at_the_start_make_each_test_stricter(self):
        means = np.ones((20, 2))
        means[:7, 1] = 0
        self.assertEqual(len(losers(means, 2)), 1)
        self.assertEqual(losers(means, 10), [])

    def test_the_best_stays_and_equal_arms_all_stay(self):
        rng = np.random.default_rng(1)
        even = np.repeat(rng.random((60, 1)), 4, axis=1)
        self.assertEqual(losers(even, 4), [])
        uneven = even + np.array([0.0, -0.4, 0.3, -0.2])
        self.assertEqual({d.arm for d in losers(uneven, 4)}, {0, 1, 3})
        self.assertEqual(losers(np.empty((0, 3)), 3), [])

    def test_equal_arms_are_dropped_in_no_more_trials_than_promised(self):
        # Law of the whole race, by simulation: any of two equal arms dropped in at most 5 %
        # of trials each way, two Monte Carlo errors allowed.
        rng = np.random.default_rng(2)
        runs, gone = 400, 0
        for _ in range(runs):
            scores = (rng.random((120, 2)) < 0.6).astype(float)
            gone += any(losers(scores[:n], 2) for n in look_points(120))
        self.assertLessEqual(gone / runs, 2 * ALPHA + 2 * (0.1 * 0.9 / runs) ** 0.5)


class KeepingTest(unittest.TestCase):
    def decide(self, scores, left=()):
        rows = [
            ScoreRow(arm, str(case), 0, value)
            for arm, values in scores.items()
            for case, value in enumerate(values)
        ]
        found = compare(rows, against="parent", n_resamples=500)
        return best_credible(
            found.arms,
            found.comparisons,
            lengths={"parent": 5, "long": 90, "short": 30, "luck": 10},
            left=left,
        )

    def test_being_ahead_by_chance_is_not_enough(self):
        parent = [0.0, 1.0] * 20
        kept = self.decide({"parent": parent, "luck": [1.0, *parent[1:]]})
        self.assertIsNone(kept.arm)
        self.assertIn("1 scored above their parent, none by more than chance", kept.why)
        worse = self.decide({"parent": parent, "luck": [0.0] * 40})
        self.assertEqual((worse.arm, worse.why), (None, "no candidate scored above its parent"))

    def test_of_equal_ones_the_shortest_of_those_still_in_the_race(self):
        parent, better = [0.0, 1.0] * 20, [0.5, 1.0] * 20
        scores = {"parent": parent, "long": better, "short": better, "luck": [1.0] * 40}
        self.assertEqual(self.decide(scores, left={"luck"}).arm, "short")
        self.assertEqual(self.decide(scores).arm, "luck")

    def test_faults_are_dealt_so_that_candidates_differ(self):
        self.assertEqual(deal_faults(5, 3), [[0, 1, 2, 3, 4], [0, 2, 4], [1, 3]])
        # Too few to share out: another answer to all of them.
        self.assertEqual(deal_faults(1, 3), [[0]] * 3)
        self.assertEqual(deal_faults(5, 2), [[0, 1, 2, 3, 4]] * 2)
        self.assertEqual(deal_faults(2, 4), [[0, 1], [0], [1], [0, 1]])
        self.assertEqual(deal_faults(0, 3), [])
        self.assertEqual(deal_faults(3, 1), [[0, 1, 2]])

    def test_numbers_that_no_rounds_can_have(self):
        for field, numbers in (
            ("rounds", (0, 3, 1)),
            ("candidates", (2, 5, 1)),
            ("repeats", (2, 3, 0)),
        ):
            with self.assertRaises(PlanError) as caught:
                check_rounds(*numbers)
            self.assertEqual(caught.exception.field, field)


class GapTest(unittest.TestCase):
    def test_the_interval_is_that_of_scipys_welch_test(self):
        rng = np.random.default_rng(3)
        working, held = rng.normal(0.3, 0.2, 120), rng.normal(0.2, 0.2, 40)
        ours = gap_of_gains(working, held)
        theirs = stats.ttest_ind(working, held, equal_var=False).confidence_interval()
        self.assertAlmostEqual(ours.gap, working.mean() - held.mean())
        self.assertAlmostEqual(ours.low, theirs.low)
        self.assertAlmostEqual(ours.high, theirs.high)

    def test_it_reads_too_closely_not_or_cannot_tell(self):
        rng = np.random.default_rng(4)
        much, little = rng.normal(0.5, 0.1, 60), rng.normal(0.1, 0.1, 60)
        self.assertEqual(gap_of_gains(much, little).reading, "too closely")
        self.assertEqual(gap_of_gains(little, much).reading, "not too closely")
        self.assertEqual(gap_of_gains(much, much[:30], margin=0.1).reading, "not too closely")
        self.assertEqual(gap_of_gains(much, much[:30], margin=0.01).reading, "cannot tell")
        self.assertEqual(gap_of_gains(much, np.array([0.2])).reading, "cannot tell")
        none = gap_of_gains(much, np.array([]))
        self.assertEqual((none.gap, none.reading), (None, "cannot tell"))
        self.assertIn("no held-out cases", none.why_null)


if __name__ == "__main__":
    unittest.main()
