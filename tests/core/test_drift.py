"""Drift of score and cost: the levels, what is compared, false alarms by simulation."""

import unittest

import numpy as np

from nomikon.core.stats.drift import (
    COST,
    TIME,
    cases_for_fall,
    drift,
    fewest_cases,
    level_of_check,
    smallest_fall,
)


def cases(values):
    return {f"c{i}": float(v) for i, v in enumerate(values)}


class DriftTest(unittest.TestCase):
    def test_the_levels_of_all_planned_checks_add_up_to_five_in_a_hundred(self):
        self.assertAlmostEqual(level_of_check(12) * 12 * 3, 0.05)
        with self.assertRaises(ValueError):
            level_of_check(0)

    def test_a_fall_is_told_with_its_size_and_interval(self):
        before = cases([1] * 60)
        now = cases([1] * 45 + [0] * 15)
        found = drift(before, now, planned=4)
        self.assertTrue(found.drifted)
        self.assertAlmostEqual(found.change, -0.25)
        self.assertLess(found.high, 0)
        # All fifteen fell: two-sided p is 2 × 2^-15.
        self.assertAlmostEqual(found.p, 2 * 0.5**15)

    def test_what_a_watch_can_see_is_known_before_it_begins(self):
        # Eleven cases all falling: 2 ÷ 2¹¹ is under 0.05 ÷ 36, and 2 ÷ 2¹⁰ is not.
        self.assertEqual(fewest_cases(12), 11)
        self.assertTrue(drift(cases([1] * 11), cases([0] * 11), planned=12).drifted)
        self.assertFalse(drift(cases([1] * 10), cases([0] * 10), planned=12).drifted)
        self.assertIsNone(smallest_fall(0.3, 10, 12))
        # (z at 1 − 0.05 ÷ 72, plus 0.8416) × 0.3 ÷ √100.
        self.assertAlmostEqual(smallest_fall(0.3, 100, 12), 0.1212, places=4)
        self.assertEqual(cases_for_fall(0.3, 0.1212, 12), 100)

    def test_a_busier_server_is_no_drift_and_one_that_takes_far_longer_is(self):
        before = cases([3000 + i for i in range(40)])
        for times, drifted in ((1.2, False), (1.6, True)):
            now = {c: v * times for c, v in before.items()}
            found = drift(before, now, planned=4, what=TIME)
            self.assertLess(found.p, found.level)
            self.assertEqual(found.drifted, drifted)

    def test_a_doubling_is_seen_at_any_level_and_a_busier_hour_is_none(self):
        rng = np.random.default_rng(3)
        for level_ms in (60, 900, 20_000):
            seen = {1.0: 0, 1.25: 0, 2.0: 0}
            for times in seen:
                for _ in range(20):
                    # Each answer takes its own time, by a third more or less between two runs.
                    own = level_ms * rng.lognormal(0, 0.6, 60)
                    before, now = own * rng.lognormal(0, 0.3, (2, 60))
                    found = drift(
                        cases(before), cases(now * times), planned=6, what=TIME, n_resamples=1000
                    )
                    seen[times] += found.drifted
                    near = abs(found.change / found.before + 1 - times) / times
                    self.assertLess(near, 0.35)
            self.assertEqual((seen[1.0], seen[1.25]), (0, 0), level_ms)
            self.assertGreaterEqual(seen[2.0], 18, level_ms)
        # A few milliseconds are the network's.
        quick = cases([2 + i / 100 for i in range(40)])
        slower = {c: 3 * v for c, v in quick.items()}
        self.assertFalse(drift(quick, slower, planned=4, what=TIME).drifted)

    def test_only_shared_cases_are_compared_and_too_few_say_so(self):
        found = drift(cases([1, 0, 1]), {"c0": 1.0, "c9": 0.0}, planned=1)
        self.assertEqual((found.n_cases, found.p, found.drifted), (1, None, False))
        self.assertIn("2 are needed", found.why_null)

    def test_cost_is_told_in_its_own_unit_whatever_its_scale(self):
        rng = np.random.default_rng(0)
        before = rng.uniform(900, 1100, 80)
        for scale in (1e-9, 1.0, 1e6):
            found = drift(cases(before * scale), cases(before * scale * 1.3), planned=2, what=COST)
            self.assertTrue(found.drifted)
            self.assertAlmostEqual(found.change / (before.mean() * scale), 0.3)
            self.assertGreater(found.low, 0.2 * before.mean() * scale)
        free = drift(cases([0] * 5), cases([0] * 5), planned=2, what=COST)
        self.assertEqual((free.change, free.drifted), (0, False))

    def test_watches_without_a_drift_raise_few_false_alarms(self):
        rng = np.random.default_rng(3)
        alarms, watches, planned = 0, 150, 4
        for _ in range(watches):
            chance = rng.uniform(0.4, 0.95, 40)
            first = cases(rng.random(40) < chance)
            alarms += any(
                drift(
                    first, cases(rng.random(40) < chance), planned=planned, n_resamples=200
                ).drifted
                for _ in range(planned)
            )
        # A third of the 5 % is the score's; two Monte Carlo errors are allowed.
        self.assertLessEqual(alarms / watches, 0.05 / 3 + 2 * (0.0167 * 0.983 / watches) ** 0.5)


if __name__ == "__main__":
    unittest.main()
