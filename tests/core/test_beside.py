"""One arm in two trials: paired where the cases are the same, two samples where they are not."""

import unittest

import numpy as np
from scipy import stats

from nomikon.core.results.beside import beside


def scores(values, first=0):
    return {str(first + i): float(v) for i, v in enumerate(values)}


class BesideTest(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(3)
        self.early = rng.beta(6, 3, 200)
        self.late = np.clip(self.early + rng.normal(-0.05, 0.04, 200), 0, 1)

    def test_the_same_cases_are_paired_and_much_narrower(self):
        found = beside(scores(self.late), scores(self.early))
        d = self.late - self.early
        self.assertEqual((found.paired, found.n_common), (True, 200))
        self.assertAlmostEqual(found.difference, d.mean())
        # SciPy: the t interval of the mean of the differences; resampling comes close to it.
        low, high = stats.ttest_1samp(d, 0).confidence_interval(0.95)
        self.assertAlmostEqual(found.low, low, delta=0.001)
        self.assertAlmostEqual(found.high, high, delta=0.001)

    def test_other_cases_are_two_samples(self):
        found = beside(scores(self.late, 1000), scores(self.early))
        self.assertEqual((found.paired, found.n_common), (False, 0))
        # SciPy: Welch's interval of the difference of two means.
        low, high = stats.ttest_ind(self.late, self.early, equal_var=False).confidence_interval()
        self.assertAlmostEqual(found.low, low, places=6)
        self.assertAlmostEqual(found.high, high, places=6)

    def test_half_of_the_smaller_set_makes_them_the_same(self):
        early = scores(self.early[:40])
        for shift, paired in ((10, True), (11, False)):
            with self.subTest(shift):
                found = beside(scores(self.late[:20], 40 - 20 + shift), early)
                self.assertEqual((found.n_common, found.paired), (20 - shift, paired))
        # Over the common cases alone, and both means are theirs.
        some = beside(scores(self.late[:20], 30), early)
        self.assertAlmostEqual(some.other_mean, self.early[30:40].mean())
        self.assertAlmostEqual(some.difference, some.mean - some.other_mean)

    def test_nothing_to_compare(self):
        found = beside({}, scores(self.early))
        self.assertEqual((found.mean, found.difference, found.low), (None, None, None))
