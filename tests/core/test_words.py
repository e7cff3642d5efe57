"""The comparison in plain words: yes only where the corrected test says so, and no worse by the interval."""

import unittest
from dataclasses import replace

import numpy as np
from scipy import stats

from nomikon.core.stats.compare import PairComparison
from nomikon.core.stats.slices import slices_of
from nomikon.core.stats.words import (
    level_after,
    no_worse,
    no_worse_in_words,
    told_in_short,
    verdict_in_words,
)

PAIR = PairComparison(
    "1", "2", 120, 0.052, 0.018, 0.087, 0.004, 0.008, 31, 80, 9, 200, "bca, sign-flip grid",
    level_used=0.96, held_low=0.016, held_high=0.089,
)  # fmt: skip


def words(complete=True, **more):
    return verdict_in_words(replace(PAIR, **more), "v7", "v5", complete=complete)


class LevelsTest(unittest.TestCase):
    def test_the_first_verdict_and_all_extensions_together_err_in_five_of_a_hundred(self):
        self.assertEqual(level_after(0), 0.04)
        levels = [level_after(n) for n in range(40)]
        self.assertLessEqual(sum(levels), 0.05)
        self.assertAlmostEqual(sum(levels), 0.05)
        self.assertEqual(levels, sorted(levels, reverse=True))

    def test_an_extended_trial_says_what_it_is_held_to(self):
        told = verdict_in_words(PAIR, "v7", "v5", complete=True, level=level_after(1))
        self.assertTrue(told.startswith("Cannot tell:"), told)
        self.assertIn("held to 0.005 as these arms were looked at before", told)


class WordsTest(unittest.TestCase):
    def test_yes_only_where_the_corrected_test_says_so(self):
        self.assertTrue(
            words().startswith(
                "Yes: v7 scores 0.052 higher than v5, between +0.016 and +0.089 at 96 % (p 0.008 "
                "after correction, held to 0.04)."
            )
        )
        self.assertIn("It won 31 cases, lost 9, and 80 came out alike.", words())
        # The verdict tests at 0.04: the last hundredth is kept for extensions.
        self.assertTrue(words(p_holm=0.041).startswith("Cannot tell"))
        self.assertTrue(words(p_holm=None).startswith("Cannot tell"))

    def test_no_where_it_is_worse_and_the_same_where_it_is(self):
        worse = words(difference=-0.05, held_low=-0.09, held_high=-0.01)
        self.assertTrue(worse.startswith("No: v7 scores 0.050 lower than v5, between −0.090"))
        self.assertIn("score the same", words(difference=0.0, p_holm=1.0))

    def test_nothing_is_decided_before_the_trial_is_complete(self):
        told = words(complete=False)
        self.assertIn("decides nothing", told)
        self.assertNotIn("Yes", told)

    def test_why_two_arms_cannot_be_compared(self):
        told = words(difference=None, why_null="no case was answered by both arms")
        self.assertEqual(told, "v7 and v5 cannot be compared: no case was answered by both arms.")
        self.assertIn("no scores yet", verdict_in_words(None, "a", "b", complete=True))

    def test_no_worse_by_the_lower_end_and_not_by_the_estimate(self):
        self.assertTrue(no_worse(replace(PAIR, low=-0.049), 0.05))
        self.assertFalse(no_worse(replace(PAIR, low=-0.05), 0.05))
        self.assertIn(
            "at most 0.020 below", no_worse_in_words(replace(PAIR, low=-0.02), 0.05, "a", "b")
        )
        self.assertIn(
            "may be 0.070 below", no_worse_in_words(replace(PAIR, low=-0.07), 0.05, "a", "b")
        )
        told = no_worse_in_words(replace(PAIR, low=0.3), 0.05, "a", "b")
        self.assertIn("a is at least 0.300 ahead of b", told)

    def test_in_short_it_says_the_same_without_the_test(self):
        def short(complete=True, **more):
            return told_in_short(replace(PAIR, **more), "v7", "v5", complete=complete, margin=0.05)

        self.assertEqual(
            short(),
            "v7 scores 0.052 higher than v5; the truth may lie anywhere from 0.016 to 0.089 higher. "
            "Take v7.",
        )
        worse = short(difference=-0.05, held_low=-0.09, held_high=-0.01, low=-0.088)
        self.assertIn("anywhere from 0.010 to 0.090 lower. Leave v7.", worse)
        unsure = {"difference": 0.006, "p_holm": 0.5, "held_low": -0.021, "held_high": 0.033}
        self.assertIn("from 0.021 lower to 0.033 higher. It is no worse by more than the margin, "
                      "0.05. Keep v5 unless something else speaks for v7.",
                      short(**unsure, low=-0.02))  # fmt: skip
        self.assertNotIn("no worse", short(**unsure, low=-0.06))
        self.assertIn("Keep v5", short(p_holm=0.041))
        self.assertIn("decides nothing", short(complete=False))
        self.assertNotIn("Take", short(complete=False))
        for told in (short(), worse, short(**unsure)):
            self.assertNotRegex(told, r"\bp\b|%")

    def test_where_interval_and_test_part_it_says_which_decides(self):
        self.assertIn("The test decides this; the interval", words(held_low=-0.001))
        parted = words(p_holm=0.0404)
        self.assertIn("p 0.0404 after correction, held to 0.04", parted)
        self.assertIn("though the interval, had by resampling, leaves out 0", parted)

    def test_losses_that_could_undo_it_are_told_where_they_could_go_unseen(self):
        told = words(undone_by=0.06, unseen_loss=0.072)
        self.assertIn("unless v7 loses more than 6 % of answers whole", told)
        self.assertIn("up to 7.2 % would not have been seen", told)
        self.assertNotIn("unless", words(undone_by=0.06, unseen_loss=0.05))
        self.assertNotIn("unless", words(undone_by=0.06, unseen_loss=None))

    def test_related_cases_are_told_as_what_they_count_for(self):
        told = words(n_sources=25, effective_cases=52.6)
        self.assertIn("120 cases from 25 sources count as about 53.", told)
        self.assertIn("no test can reach 0.05", words(n_sources=5, effective_cases=5.0))


class SlicesTest(unittest.TestCase):
    def test_a_part_where_it_loses_though_better_on_the_whole(self):
        rng = np.random.default_rng(0)
        d = {str(i): float(x) for i, x in enumerate(rng.normal(0.1, 0.1, 120))}
        bad = [str(i) for i in range(20)]
        d |= dict.fromkeys(bad, -0.2)
        found, small = slices_of(
            d, [("bad", bad), ("rest", [str(i) for i in range(20, 120)]), ("few", ["1", "2"])]
        )
        self.assertEqual([s.name for s in found], ["bad", "rest"])
        self.assertEqual(small, 1)
        self.assertTrue(found[0].look)
        self.assertFalse(found[1].look)
        self.assertAlmostEqual(found[0].difference, -0.2)
        # Two parts: Holm doubles the smaller p, which a sign test gives for equal losses.
        p = stats.binomtest(20, 20, 0.5).pvalue
        self.assertAlmostEqual(found[0].p, p)
        self.assertGreaterEqual(found[0].p_holm, p)

    def test_related_cases_of_a_part_are_flipped_together(self):
        d = {str(i): -0.2 if i < 20 else 0.1 for i in range(40)}
        part = [("bad", [str(i) for i in range(20)])]
        of = {str(i): f"talk {i // 5}" for i in range(40)}
        (alone,), (shared,) = slices_of(d, part)[0], slices_of(d, part, sources=of)[0]
        self.assertTrue(alone.look)
        # Four talks that all lost: 2 of 16 sign patterns are as far from zero.
        self.assertAlmostEqual(shared.p, 2 / 2**4)
        self.assertEqual((shared.n_cases, shared.look), (20, False))

    def test_a_part_that_holds_every_case_says_nothing_new(self):
        d = {str(i): 0.1 * (i % 3) for i in range(30)}
        self.assertEqual(slices_of(d, [("all", list(d))]), ([], 0))


if __name__ == "__main__":
    unittest.main()
