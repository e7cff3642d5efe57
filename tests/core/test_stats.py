"""Statistics against SciPy, textbooks and hand work."""

import math
import unittest
from unittest import mock

import numpy as np
import scipy.stats
from django.test import tag
from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.core.errors import CannotCompareError
from nomikon.core.stats import (
    ScoreRow,
    bca,
    bca_usable,
    cases_needed,
    compare,
    difference_interval,
    holm,
    mean_interval,
    resampled_means,
    sign_flip,
    sign_flips,
    smallest_difference,
    wilson,
)
from nomikon.core.stats import resampling as resampling_module


class WilsonTest(unittest.TestCase):
    def test_known_values(self):
        # SciPy: binomtest(k, n).proportion_ci(method='wilson').
        for k, n in [(81, 263), (0, 10), (10, 10), (1, 3), (119, 120)]:
            reference = scipy.stats.binomtest(k, n).proportion_ci(method="wilson")
            low, high = wilson(k / n, n)
            self.assertAlmostEqual(low, reference.low, places=12)
            self.assertAlmostEqual(high, reference.high, places=12)


class BcaTest(unittest.TestCase):
    def test_agrees_with_scipy(self):
        rng = np.random.default_rng(3)
        for values in (rng.beta(5, 2, 60), rng.choice([0, 0.25, 0.5, 1.0], 200)):
            ours = bca(values, resampled_means(values[:, None], n_resamples=10_000, seed=0)[:, 0])
            theirs = scipy.stats.bootstrap(
                (values,), np.mean, n_resamples=10_000, method="BCa", rng=np.random.default_rng(1)
            ).confidence_interval
            # Two Monte Carlo errors of a 2.5 % quantile at 10,000 resamples.
            # A mean of 200 quarter steps moves by 0.00125 at a time: one such step more.
            allowed = 0.08 * values.std() / math.sqrt(values.size) + 0.00125
            self.assertAlmostEqual(ours[0], theirs.low, delta=allowed)
            self.assertAlmostEqual(ours[1], theirs.high, delta=allowed)

    def test_used_only_where_it_can_be_trusted(self):
        self.assertFalse(bca_usable(np.linspace(0, 1, 29)))
        self.assertFalse(bca_usable(np.array([1.0] * 100 + [0.5] * 9)))
        self.assertTrue(bca_usable(np.array([1.0] * 100 + [0.5] * 10)))
        third = 0.1 + 0.2
        self.assertFalse(bca_usable(np.array([0.3] * 50 + [third] * 50)))

    def test_fall_backs(self):
        ones = np.ones(50)
        self.assertEqual(mean_interval(ones, ones).method, "wilson")
        self.assertEqual(mean_interval(ones, ones).high, 1.0)
        self.assertLess(mean_interval(ones, ones).low, 1.0)
        graded = np.array([0.5] * 50 + [0.6])
        self.assertEqual(mean_interval(graded, graded).method, "betting")
        self.assertEqual(difference_interval(np.zeros(5), np.zeros(9), 1.0).method, "inverted")


class CoverageTest(unittest.TestCase):
    def test_intervals_cover_about_as_promised(self):
        self.cover(80)

    @tag("long")
    def test_intervals_cover_as_promised(self):
        self.cover(1000)

    def cover(self, n_trials):
        """Graded scores, 40 cases, fixed seed: the aim is 93 to 97 %, two errors allowed."""
        rng = np.random.default_rng(11)
        hits = 0
        grades = np.array([0, 0.25, 0.5, 0.75, 1.0])
        shares = np.array([0.1, 0.15, 0.2, 0.25, 0.3])
        truth = float(grades @ shares)
        for trial in range(n_trials):
            values = rng.choice(grades, size=40, p=shares)
            drawn = resampled_means(values[:, None], n_resamples=2000, seed=trial)[:, 0]
            found = mean_interval(values, drawn)
            hits += found.low <= truth <= found.high
        error = 2 * math.sqrt(0.95 * 0.05 / n_trials)
        self.assertGreaterEqual(hits / n_trials, 0.93 - error)
        self.assertLessEqual(hits / n_trials, 0.97 + error)


class SignFlipTest(unittest.TestCase):
    def test_pass_fail_is_mcnemars_exact_test(self):
        # Exact McNemar: the binomial test on the discordant cases.
        for wins, losses, ties in [(9, 3, 20), (5, 5, 0), (30, 12, 70), (1, 0, 5)]:
            d = np.array([1.0] * wins + [-1.0] * losses + [0.0] * ties)
            wanted = scipy.stats.binomtest(wins, wins + losses).pvalue
            found = sign_flip(d)
            self.assertEqual(found.method, "grid")
            self.assertAlmostEqual(found.p, wanted, places=12)

    def test_exact_agrees_with_scipys_full_permutation(self):
        rng = np.random.default_rng(5)
        for size in (4, 9, 12):
            d = rng.normal(0.3, 1, size)
            wanted = scipy.stats.permutation_test(
                (d,),
                np.mean,
                permutation_type="samples",
                n_resamples=np.inf,
                alternative="two-sided",
            ).pvalue
            found = sign_flip(d)
            self.assertEqual(found.method, "enumeration")
            self.assertAlmostEqual(found.p, wanted, places=9)

    def test_grid_and_enumeration_agree(self):
        d = np.array([0.5, 0.25, -0.25, 0.75, 0.5, -0.5, 1.0, 0.25])
        exact = sign_flip(d)
        shifted = sign_flip(d + np.array([1e-7, -2e-7, 3e-7, -1e-7, 2e-7, 0, 1e-7, -3e-7]))
        self.assertEqual((exact.method, shifted.method), ("grid", "enumeration"))
        self.assertAlmostEqual(exact.p, shifted.p, delta=0.1)

    def test_random_signs_estimate_the_exact_value(self):
        rng = np.random.default_rng(2)
        d = rng.normal(0.25, 1, 60)
        found = sign_flip(d, n_resamples=20_000, seed=1)
        self.assertEqual(found.method, "random")
        # For 60 normal differences the t-test is within a hundredth of the exact value.
        self.assertAlmostEqual(found.p, scipy.stats.ttest_1samp(d, 0).pvalue, delta=0.01)

    def test_all_ties(self):
        self.assertEqual(sign_flip(np.full(30, 1e-12)).p, 1.0)

    @settings(max_examples=40)
    @given(st.lists(st.integers(-4, 4), min_size=1, max_size=12))
    def test_turning_all_signs_changes_nothing(self, steps):
        d = np.array(steps) / 4
        self.assertAlmostEqual(sign_flip(d).p, sign_flip(-d).p, places=12)
        self.assertTrue(0 < sign_flip(d).p <= 1)


class HolmTest(unittest.TestCase):
    def test_by_hand(self):
        # Holm (1979): 0.01 × 4, then max with 0.02 × 3, 0.03 × 2, 0.04 × 1.
        self.assertEqual(holm([0.01, 0.04, 0.03, 0.02]), [0.04, 0.06, 0.06, 0.06])
        self.assertEqual(holm([0.5, 0.9]), [1.0, 1.0])


class PowerTest(unittest.TestCase):
    def test_by_hand(self):
        # (1.959964 + 0.841621)² = 7.848879; s_d 0.4, difference 0.1: 16 × 7.848879 = 125.6.
        self.assertEqual(cases_needed(0.4, 0.1), 126)
        self.assertAlmostEqual(smallest_difference(0.4, 126), 0.09984, places=4)
        self.assertIsNone(cases_needed(0.0, 0.1))


def rows(arms, repeats=1):
    """arms: name -> one score per case, or one list of repeats per case."""
    found = []
    for name, scores in arms.items():
        for case, score in enumerate(scores):
            for repeat, value in enumerate(score if isinstance(score, list) else [score] * repeats):
                found.append(ScoreRow(name, f"c{case}", repeat, value))
    return found


class CompareTest(unittest.TestCase):
    def test_tally_and_direction(self):
        found = compare(rows({"a": [1, 1, 0.5, 0], "b": [0, 1, 0.25, 1]})).comparisons[0]
        self.assertEqual(
            (found.a, found.b, found.wins, found.ties, found.losses), ("a", "b", 2, 1, 1)
        )
        self.assertAlmostEqual(found.difference, 0.0625)

    def test_the_family(self):
        data = rows({"a": [1, 0, 1], "b": [0, 0, 1], "c": [1, 1, 1]})
        self.assertEqual(len(compare(data).comparisons), 3)
        named = compare(data, against="b").comparisons
        self.assertEqual([(c.a, c.b) for c in named], [("a", "b"), ("c", "b")])
        self.assertEqual([c.p_holm for c in named], holm([c.p for c in named]))

    def test_repeats_are_averaged_within_the_case(self):
        found = compare(rows({"a": [[1, 0], [1, 1]], "b": [[0, 0], [1, 1]]}))
        self.assertEqual([a.mean for a in found.arms], [0.75, 0.5])
        self.assertEqual(found.comparisons[0].n_cases, 2)

    def test_a_missing_score_drops_the_case_from_both_or_counts_zero(self):
        data = rows({"a": [1, None, 1], "b": [0, 1, 1]})
        dropped = compare(data)
        self.assertEqual((dropped.arms[0].n_cases, dropped.arms[0].n_missing), (2, 1))
        self.assertEqual(dropped.comparisons[0].n_cases, 2)
        self.assertAlmostEqual(dropped.comparisons[0].difference, 0.5)
        zero = compare(data, missing="zero")
        self.assertEqual(zero.comparisons[0].n_cases, 3)
        self.assertAlmostEqual(zero.comparisons[0].difference, 0.0)

    def test_a_repeat_that_was_never_had_is_missing(self):
        found = compare(rows({"a": [[1, 1], [1]], "b": [[0, 0], [0, 0]]}))
        self.assertEqual(found.arms[0].n_missing, 1)

    def test_arms_on_different_cases_share_only_some_or_none(self):
        data = [ScoreRow("a", "x", 0, 1.0), ScoreRow("b", "y", 0, 1.0)]
        found = compare(data).comparisons[0]
        self.assertEqual((found.n_cases, found.difference), (0, None))
        self.assertIn("no case", found.why_null)

    def test_edges_have_answers(self):
        one = compare(rows({"a": [1.0], "b": [1.0]}))
        self.assertEqual((one.comparisons[0].p, one.comparisons[0].cases_needed), (1.0, None))
        nothing = compare(rows({"a": [None, None], "b": [1, 0]})).arms[0]
        self.assertIsNone(nothing.mean)
        self.assertTrue(nothing.why_null)
        self.assertEqual(compare(rows({"a": [0.5, 1]})).comparisons, [])

    def test_came_first_splits_ties(self):
        found = compare(rows({"a": [1, 0] * 20, "b": [1, 0] * 20, "c": [0, 0] * 20})).arms
        self.assertEqual([a.came_first for a in found[:2]], [0.5, 0.5])

    def test_the_same_seed_gives_the_same_figures_at_any_batch_size(self):
        rng = np.random.default_rng(0)
        data = rows({"a": rng.random(50).tolist(), "b": rng.random(50).tolist()})
        whole = compare(data, n_resamples=1000)
        again = compare(data, n_resamples=1000)
        self.assertEqual(whole, again)
        counts = np.concatenate(
            list(resampling_module.resample_counts(30, n_resamples=250, seed=4))
        )
        more = np.concatenate(list(resampling_module.resample_counts(30, n_resamples=700, seed=4)))
        # However many are asked for, the first ones are the same.
        self.assertTrue((counts == more[:250]).all())
        self.assertTrue((counts.sum(axis=1) == 30).all())
        self.assertNotEqual(whole, compare(data, n_resamples=1000, seed=1))

    def test_draws_are_shared_and_made_once(self):
        rng = np.random.default_rng(0)
        data = rows({n: rng.random(40).tolist() for n in "abcdef"})
        with mock.patch(
            "nomikon.core.stats.compare.resampled_means", wraps=resampled_means
        ) as drawn:
            compare(data, n_resamples=200)
        self.assertEqual(drawn.call_count, 1)

    def test_refusals(self):
        good = rows({"a": [1, 0], "b": [0, 1]})
        for data, options, words in [
            ([], {}, "no scores"),
            (good, {"against": "z"}, "no arm"),
            (good, {"margin": 0}, "margin"),
            (good, {"level": 1}, "level"),
            (good, {"missing": "guess"}, "missing"),
            (good, {"n_resamples": 1}, "resamples"),
            (good + good, {}, "given twice"),
            (rows({"a": [1.5]}), {}, "between 0 and 1"),
            (rows({"a": [float("inf")]}), {}, "between 0 and 1"),
            (rows({"a": [float("nan")]}), {}, "between 0 and 1"),
            (rows({"a": [-1.0]}), {}, "between 0 and 1"),
        ]:
            with self.subTest(words=words), self.assertRaises(CannotCompareError) as caught:
                compare(data, **options)
            self.assertIn(words, str(caught.exception))


class SharedSignsTest(unittest.TestCase):
    def test_many_pairs_give_what_each_gives_alone(self):
        rng = np.random.default_rng(8)
        d = np.column_stack(
            [
                rng.normal(0.2, 1, 50),
                rng.choice([-1.0, 0, 1], 50),
                rng.normal(0, 1, 50),
                np.zeros(50),
            ]
        )
        together = sign_flips(d, n_resamples=1500, seed=3)
        alone = [sign_flip(column, n_resamples=1500, seed=3) for column in d.T]
        self.assertEqual(together, alone)
        self.assertEqual([t.method for t in together], ["random", "grid", "random", "none"])


class SharedWorkTest(unittest.TestCase):
    """Draws made by several threads are those made by one."""

    def test_resampling_and_sign_flips_do_not_depend_on_who_works(self):
        values = np.random.default_rng(0).normal(0, 1, (300, 4))

        def figures():
            means = resampled_means(values, n_resamples=1_050, seed=3)
            return means, [t.p for t in sign_flips(values, n_resamples=1_050, seed=3)]

        alone = figures()
        with mock.patch.object(resampling_module, "WORTH_SHARING", 1):
            together = figures()
        # The sums are added up in another order, the draws are the same.
        np.testing.assert_allclose(alone[0], together[0], rtol=0, atol=1e-15)
        self.assertEqual(alone[1], together[1])
