"""Cost per good answer and percentiles: by hand, against NumPy, and their coverage by simulation."""

import unittest

import numpy as np

from nomikon.core.stats import figures_of_merit as merit


def cost_per_good(costs, good, **chance):
    return merit.cost_per_good(costs[:, None], good[:, None], **chance)[0]


def percentile(values, cases, share, **chance):
    n_cases = int(cases.max()) + 1 if cases.size else 0
    return merit.percentiles([values], [cases], n_cases, [share], **chance)[0][0]


class CostPerGoodTest(unittest.TestCase):
    def test_all_costs_over_good_answers(self):
        found = cost_per_good(np.array([2.0, 2, 2, 2]), np.array([1.0, 0, 1, 0]))
        self.assertEqual(found.value, 4)
        self.assertGreaterEqual(found.low, 2)

    def test_without_a_good_answer_there_is_no_figure_and_with_few_no_upper_end(self):
        none = cost_per_good(np.ones(9), np.zeros(9))
        self.assertEqual((none.value, none.why_null), (None, "no answer is good"))
        few = cost_per_good(np.ones(9), np.array([1.0] + [0] * 8))
        self.assertEqual(few.value, 9)
        self.assertIsNone(few.high)
        self.assertIn("no upper end", few.why_null)
        self.assertEqual(cost_per_good(np.ones(1), np.ones(1)).value, 1)

    def test_intervals_hold_the_truth_about_as_often_as_they_say(self):
        rng = np.random.default_rng(2)
        truth, held, runs = 1.0 / 0.7, 0, 300
        for _ in range(runs):
            good = (rng.random(120) < 0.7).astype(float)
            found = cost_per_good(rng.gamma(4, 0.25, 120), good, n_resamples=400)
            held += found.low <= truth <= found.high
        self.assertGreater(held / runs, 0.93 - 2 * (0.05 * 0.95 / runs) ** 0.5)

    def test_arms_beside_each_other_are_as_by_themselves(self):
        rng = np.random.default_rng(8)
        costs, good = rng.random((40, 3)), (rng.random((40, 3)) < 0.6).astype(float)
        together = merit.cost_per_good(costs, good)
        alone = [cost_per_good(costs[:, a], good[:, a]) for a in range(3)]
        for mine, other in zip(together, alone, strict=True):
            np.testing.assert_allclose(
                [mine.value, mine.low, mine.high], [other.value, other.low, other.high]
            )


class PercentileTest(unittest.TestCase):
    def test_the_value_is_numpys_inverted_distribution(self):
        rng = np.random.default_rng(0)
        values = rng.lognormal(5, 1, 101)
        for share in (0.0, 0.25, 0.5, 0.9, 0.95, 1.0):
            found = percentile(values, np.arange(101), share, n_resamples=100)
            self.assertEqual(found.value, np.quantile(values, share, method="inverted_cdf"))

    def test_resampling_is_over_cases_so_repeats_add_no_certainty(self):
        rng = np.random.default_rng(1)
        own = rng.lognormal(5, 1, 60)
        once = percentile(own, np.arange(60), 0.5)
        thrice = percentile(np.repeat(own, 3), np.repeat(np.arange(60), 3), 0.5)
        self.assertEqual((once.value, once.low, once.high), (thrice.value, thrice.low, thrice.high))

    def test_nothing_and_one_case(self):
        self.assertEqual(percentile(np.empty(0), np.empty(0, dtype=np.int64), 0.5).value, None)
        one = percentile(np.array([3.0, 5.0]), np.array([0, 0]), 0.5)
        self.assertEqual((one.value, one.low), (3.0, None))

    def test_intervals_of_the_median_hold_the_truth(self):
        rng = np.random.default_rng(4)
        held, runs = 0, 300
        for _ in range(runs):
            found = percentile(rng.lognormal(0, 1, 80), np.arange(80), 0.5, n_resamples=400)
            held += found.low <= 1.0 <= found.high
        self.assertGreater(held / runs, 0.93 - 2 * (0.05 * 0.95 / runs) ** 0.5)


if __name__ == "__main__":
    unittest.main()
