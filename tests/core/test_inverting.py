"""Intervals that go with their test, bounds that hold, related cases, what could go unseen."""

import itertools
import math
import unittest

import numpy as np
import scipy.stats
from django.test import tag
from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.core.errors import CannotCompareError
from nomikon.core.stats import ScoreRow, compare, holm, sign_flip
from nomikon.core.stats.betting import betting_interval
from nomikon.core.stats.compare import PAIRS
from nomikon.core.stats.gap import gap_of_gains
from nomikon.core.stats.holm import held_at
from nomikon.core.stats.inverting import inverted_interval
from nomikon.core.stats.losses import losses

STEPS = st.integers(-8, 8).map(lambda k: k / 8)


def rows(**arms):
    return [ScoreRow(a, str(i), 0, v) for a, values in arms.items() for i, v in enumerate(values)]


class InvertedTest(unittest.TestCase):
    def test_its_ends_are_where_scipys_permutation_test_turns(self):
        # SciPy 1.16, permutation_test(permutation_type="samples") of the differences less θ.
        rng = np.random.default_rng(4)
        d = rng.normal(0.2, 0.2, 12)

        def p_at(shift):
            return scipy.stats.permutation_test(
                (d - shift,), np.mean, permutation_type="samples", n_resamples=np.inf
            ).pvalue

        low, high = inverted_interval(d, sign_flip(d).p, level=0.9)
        self.assertGreater(low, 0)
        self.assertLessEqual(p_at(low - 1e-6), 0.1)
        self.assertGreater(p_at(low + 1e-6), 0.1)
        self.assertGreater(p_at(high - 1e-6), 0.1)

    @settings(max_examples=80, deadline=None, derandomize=True)
    @given(st.lists(STEPS, min_size=1, max_size=29), st.sampled_from([0.9, 0.95, 0.99]))
    def test_zero_is_left_out_exactly_where_p_is_at_most_the_level(self, values, level):
        d = np.array(values)
        p = sign_flip(d).p
        low, high = inverted_interval(d, p, level=level)
        self.assertEqual(low > 0 or high < 0, p <= (1 - level) * (1 + 1e-12), (low, high, p))
        self.assertLessEqual(low, d.mean() + 1e-9)
        self.assertGreaterEqual(high, d.mean() - 1e-9)

    @settings(max_examples=30, deadline=None, derandomize=True)
    @given(st.lists(STEPS, min_size=6, max_size=12), st.randoms(use_true_random=False))
    def test_turned_round_or_put_in_another_order_it_is_the_same(self, values, dice):
        d = np.array(values)
        p = sign_flip(d).p
        low, high = inverted_interval(d, p)
        turned = inverted_interval(-d, p)
        self.assertAlmostEqual(low, -turned[1], places=6)
        dice.shuffle(values)
        other = inverted_interval(np.array(values), p)
        self.assertAlmostEqual(low, other[0], places=9)
        self.assertAlmostEqual(high, other[1], places=9)

    def test_five_cases_say_nothing_however_alike(self):
        self.assertEqual(inverted_interval(np.full(5, 0.4), 2 / 2**5), (-1.0, 1.0))

    def test_few_that_move_leave_room(self):
        # 29 cases of which one moved: a half width of rule-of-three size, not of 0.01.
        d = np.array([0.0] * 28 + [0.5])
        low, high = inverted_interval(d, 1.0)
        self.assertLess(low, -0.05)
        self.assertGreater(high, 0.1)


class BettingTest(unittest.TestCase):
    def test_it_is_what_the_papers_formulas_give_step_by_step(self):
        # Waudby-Smith and Ramdas 2024, equations 24 to 26, for ten values that are all 1.
        n, level, low = 10, 0.95, betting_interval(np.ones(10))[0]

        def capital(mean):
            money, total, squares = 1.0, 0.0, 0.0
            for t in range(1, n + 1):
                variance = (0.25 + squares) / t
                stake = min(math.sqrt(2 * math.log(2 / (1 - level)) / (n * variance)), 0.9 / mean)
                money *= 1 + stake * (1 - mean)
                total += 1
                squares += (1 - (0.5 + total) / (t + 1)) ** 2
            return money

        self.assertAlmostEqual(capital(low), 2 / (1 - level), delta=0.001)
        self.assertEqual(betting_interval(np.array([1.0])), (0.0, 1.0))

    def test_it_holds_where_the_normal_interval_does_not(self):
        rng = np.random.default_rng(9)
        held = 0
        for _ in range(200):
            values = np.where(rng.random(25) < 0.08, 0.0, 0.9)
            low, high = betting_interval(values)
            held += low <= 0.92 * 0.9 <= high
        self.assertGreaterEqual(held / 200, 0.95 - 2 * math.sqrt(0.05 * 0.95 / 200))

    def test_scale_and_order_change_nothing(self):
        values = np.array([0.2, 0.9, 0.4, 0.4, 0.7])
        low, high = betting_interval(values)
        wide = betting_interval(values * 4 - 2, least=-2, most=2)
        self.assertAlmostEqual(wide[0], low * 4 - 2, places=6)
        self.assertAlmostEqual(betting_interval(values[::-1])[1], high, places=12)


class SourcesTest(unittest.TestCase):
    def test_signs_are_flipped_for_whole_sources(self):
        rng = np.random.default_rng(2)
        d = np.round(rng.uniform(-0.15, 0.4, 20), 3)
        codes = np.repeat(np.arange(8), [1, 2, 3, 4, 4, 3, 2, 1])
        sums = np.bincount(codes, weights=d)
        seen = abs(sums.sum()) - 1e-12
        patterns = list(itertools.product((-1, 1), repeat=8))
        wanted = np.mean([abs(np.dot(s, sums)) >= seen for s in patterns])
        found = compare(
            rows(a=(0.5 + d).tolist(), b=[0.5] * 20),
            against="b",
            sources={str(i): f"talk {c}" for i, c in enumerate(codes)},
        ).comparisons[0]
        self.assertAlmostEqual(found.p, wanted, places=12)
        self.assertEqual((found.n_cases, found.n_sources), (20, 8))
        self.assertEqual(found.low > 0, found.p <= 0.05)

    def test_cases_that_say_the_same_count_as_one(self):
        values = np.repeat(np.linspace(0.1, 0.9, 10), 5)
        of = {str(i): str(i // 5) for i in range(50)}
        arm = compare(rows(a=values.tolist()), sources=of).arms[0]
        self.assertAlmostEqual(arm.effective_cases, 10, delta=1.0)
        alone = compare(rows(a=values.tolist())).arms[0]
        self.assertIsNone(alone.effective_cases)
        self.assertGreater(arm.high - arm.low, 1.5 * (alone.high - alone.low))

    def test_one_per_case_is_as_none_and_one_for_all_tells_nothing(self):
        a, b = [0.9] * 12, [0.1] * 12
        own = {str(i): f"s{i}" for i in range(12)}
        plain, each = (
            compare(rows(a=a, b=b), against="b", sources=s).comparisons[0] for s in (None, own)
        )
        self.assertEqual((plain.p, plain.low), (each.p, each.low))
        self.assertIsNone(each.n_sources)
        one = compare(rows(a=a, b=b), against="b", sources=dict.fromkeys(own, "all"))
        self.assertEqual((one.comparisons[0].p, one.comparisons[0].n_sources), (1.0, 1))


class FamilyTest(unittest.TestCase):
    def test_a_reference_chosen_after_looking_is_corrected_over_all_pairs(self):
        rng = np.random.default_rng(0)
        arms = {n: np.round(rng.beta(4, 2, 40), 2).tolist() for n in "abcd"}
        narrow = compare(rows(**arms), against="a")
        wide = compare(rows(**arms), against="a", family=PAIRS)
        every = compare(rows(**arms))
        self.assertEqual((narrow.n_family, wide.n_family, len(wide.comparisons)), (3, 6, 3))
        for found in wide.comparisons:
            twin = next(c for c in every.comparisons if {c.a, c.b} == {found.a, found.b})
            self.assertAlmostEqual(found.p_holm, twin.p_holm)
        with self.assertRaisesRegex(CannotCompareError, "needs the arm"):
            compare(rows(**arms), family="reference")

    def test_each_is_held_to_its_turn_and_the_rest_to_the_first_failure(self):
        p = [0.02, 0.001, 0.3, 0.04]
        self.assertEqual(held_at(p, 0.04), [0.04 / 3, 0.01, 0.04 / 3, 0.04 / 3])
        for own, adjusted, held in zip(p, holm(p), held_at(p, 0.04), strict=True):
            self.assertEqual(adjusted <= 0.04, own <= held)

    def test_enough_signs_are_drawn_for_the_level_asked(self):
        rng = np.random.default_rng(0)
        base = rng.random(40) * 0.5
        arms = {f"v{i:02}": (base + rng.random(40) * 1e-4).tolist() for i in range(11)}
        arms["best"] = (base + 0.4 + rng.random(40) * 0.01).tolist()
        found = compare(rows(**arms), alpha=0.0025, n_resamples=1000)
        ahead = [c for c in found.comparisons if "best" in (c.a, c.b)]
        self.assertTrue(all(c.p_holm <= 0.0025 for c in ahead))


class LossesTest(unittest.TestCase):
    def test_the_bound_is_clopper_and_pearsons(self):
        for seen, n in [(0, 30), (1, 50), (2, 200)]:
            scores = np.array([0.0] * seen + [0.7] * (n - seen))
            wanted = scipy.stats.binomtest(seen, n, alternative="less").proportion_ci(0.95, "exact")
            self.assertAlmostEqual(losses(scores).unseen, wanted.high, places=12)
        self.assertIsNone(losses(np.array([0.0] * 3 + [1.0] * 9)).unseen)

    def test_beside_another_arm_only_what_is_lost_here_alone_counts(self):
        here, there = np.array([0, 0, 0.5, 0.5]), np.array([0, 0.5, 0.5, 0])
        self.assertEqual(losses(here, than=there).seen, 1)


class GapTest(unittest.TestCase):
    def test_no_variance_is_no_certainty(self):
        found = gap_of_gains(np.full(40, 0.1), np.full(3, 0.05))
        self.assertEqual(found.reading, "cannot tell")
        self.assertLess(found.low, 0)

    def test_many_that_agree_show_it_to_be_within_the_margin(self):
        found = gap_of_gains(np.full(900, 0.1), np.full(700, 0.1), margin=0.05)
        self.assertEqual(found.reading, "not too closely")
        self.assertLessEqual(found.high, 0.05)

    def test_equal_gains_are_seldom_called_too_close(self):
        self.calls(30)

    @tag("long")
    def test_equal_gains_are_seldom_called_too_close_in_many_trials(self):
        self.calls(400)

    def calls(self, trials):
        rng = np.random.default_rng(6)
        for n, m in ((40, 2), (30, 30), (60, 12)):
            called = 0
            for _ in range(trials):
                draw = rng.choice([-1.0, 0.0, 0.0, 0.0, 1.0], n + m)
                called += gap_of_gains(draw[:n], draw[n:]).reading == "too closely"
            self.assertLessEqual(called / trials, 0.025 + 2 * math.sqrt(0.025 * 0.975 / trials))


if __name__ == "__main__":
    unittest.main()
