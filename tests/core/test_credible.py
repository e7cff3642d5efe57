"""The credible set: who is in it, at which error, and what simultaneous intervals are worth."""

import unittest

import numpy as np
from scipy import stats

from nomikon.core.stats.credible import credible_set


class CredibleTest(unittest.TestCase):
    def test_what_is_plainly_beaten_is_out_and_what_is_level_is_in(self):
        rng = np.random.default_rng(0)
        best = rng.random((80, 1)) * 0.4 + 0.6
        means = np.hstack([best, best - 0.01 * rng.random((80, 1)) + 0.005, best - 0.3])
        self.assertEqual(credible_set(means).members, [0, 1])

    def test_two_arms_give_the_normal_quantiles(self):
        # With many cases the max-t of one pair is the normal quantile: 1.645 and 1.960.
        rng = np.random.default_rng(1)
        means = rng.normal(0.5, 0.1, (2_000, 2))
        found = credible_set(means)
        spread = (means[:, 0] - means[:, 1]).std() / 2_000**0.5
        self.assertAlmostEqual(found.half_widths[0, 1] / spread, stats.norm.ppf(0.975), delta=0.06)
        self.assertEqual(found.half_widths[0, 1], found.half_widths[1, 0])

    def test_the_truly_best_arm_is_in_the_set_in_95_of_100_trials(self):
        rng = np.random.default_rng(2)
        runs = 200
        kept = 0
        for _ in range(runs):
            # Four equal arms: each is truly best; the first stands for them.
            kept += 0 in credible_set(rng.random((60, 4)), n_resamples=400).members
        self.assertGreaterEqual(kept / runs, 0.95 - 2 * (0.05 * 0.95 / runs) ** 0.5)

    def test_arms_that_never_differ_and_single_cases(self):
        same = np.tile(np.linspace(0, 1, 30)[:, None], (1, 3))
        self.assertEqual(credible_set(same).members, [0, 1, 2])
        self.assertEqual(credible_set(np.array([[0.1, 0.9]])).members, [0, 1])
        # Eight equal arms on ten graded cases: the spread of a resample may be next to nothing.
        rng = np.random.default_rng(5)
        apart = 0
        for run in range(60):
            case = rng.beta(4, 2, (10, 1))
            equal = np.round(np.clip(case + rng.normal(0, 0.15, (10, 8)), 0, 1), 1)
            apart += len(credible_set(equal, n_resamples=400, seed=run).members) < 8
        self.assertLessEqual(apart / 60, 0.05 + 2 * (0.05 * 0.95 / 60) ** 0.5)
        # Every arm of a source counts with it: ten copies of two cases are two.
        two = np.repeat(np.array([[0.9, 0.1], [0.8, 0.2]]), 10, axis=0)
        self.assertEqual(credible_set(two).members, [0])
        self.assertEqual(credible_set(two, sources=np.repeat([0, 1], 10)).members, [0, 1])
        # A constant lead is certain on these cases.
        lead = np.hstack([same[:, :1], same[:, :1] * 0 + 0.0, same[:, :1] + 0.0])
        self.assertNotIn(1, credible_set(lead).members)


if __name__ == "__main__":
    unittest.main()
