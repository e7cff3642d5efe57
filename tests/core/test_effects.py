"""Variance components and effects: by hand on exact data, by law on made data, and what gives none."""

import unittest

import numpy as np

from nomikon.core.errors import CannotCompareError
from nomikon.core.stats.effects import FactorRow, effects_of


def rows(table, versions, models, settings=("s",)):
    """table: shape (versions, models, settings, cases, repeats)."""
    return [
        FactorRow(v, m, s, f"c{c}", r, None if np.isnan(x) else float(x))
        for i, v in enumerate(versions)
        for j, m in enumerate(models)
        for k, s in enumerate(settings)
        for c in range(table.shape[3])
        for r, x in enumerate(table[i, j, k, c])
    ]


class EffectsTest(unittest.TestCase):
    def shares(self, found):
        return {s.source: s.variance for s in found.shares}

    def test_additive_data_give_the_variances_that_made_them(self):
        v = np.array([0.1, 0.3, 0.5])[:, None, None, None, None]
        m = np.array([0.0, 0.2])[None, :, None, None, None]
        c = np.array([0.0, 0.1, 0.2, 0.25])[None, None, None, :, None]
        found = effects_of(rows(v + m + c + np.zeros((3, 2, 1, 4, 2)), "abc", "xy"))
        by_source = self.shares(found)
        self.assertAlmostEqual(by_source["version"], np.var([0.1, 0.3, 0.5], ddof=1))
        self.assertAlmostEqual(by_source["model"], np.var([0.0, 0.2], ddof=1))
        self.assertAlmostEqual(by_source["case"], np.var([0, 0.1, 0.2, 0.25], ddof=1))
        for source in ("version × model", "arm × case", "repeat"):
            self.assertAlmostEqual(by_source[source], 0)
        self.assertAlmostEqual(sum(s.share for s in found.shares), 1)
        effect = {(e.factor, e.level): e.effect for e in found.effects}
        self.assertAlmostEqual(effect["version", "c"], 0.2)
        self.assertAlmostEqual(effect["model", "x"], -0.1)
        self.assertEqual(found.repeat_sd, 0)

    def test_a_two_way_layout_worked_by_hand(self):
        # Two arms of means 0.5 and 0.7 on three cases of means 0.45, 0.55 and 0.8, one repeat:
        # mean squares 0.06 (arms), 0.065 (cases), 0.035 (what is left).
        table = np.array([[0.2, 0.5, 0.8], [0.7, 0.6, 0.8]])
        by_source = self.shares(effects_of(rows(table.reshape(2, 1, 1, 3, 1), "ab", "x")))
        self.assertAlmostEqual(by_source["version"], (0.06 - 0.035) / 3)
        self.assertAlmostEqual(by_source["case"], (0.065 - 0.035) / 2)
        self.assertAlmostEqual(by_source["arm × case and repeat"], 0.035)

    def test_components_are_found_again_in_made_data(self):
        # Unbiased by law: over many made blocks the mean estimate is the truth.
        rng = np.random.default_rng(0)
        truth = {"version": 0.04, "model": 0.02, "case": 0.03, "version × model": 0.01}
        sums = dict.fromkeys(truth, 0.0)
        n = 300
        for _ in range(n):
            v = rng.normal(0, truth["version"] ** 0.5, (4, 1, 1, 1, 1))
            m = rng.normal(0, truth["model"] ** 0.5, (1, 4, 1, 1, 1))
            vm = rng.normal(0, truth["version × model"] ** 0.5, (4, 4, 1, 1, 1))
            c = rng.normal(0, truth["case"] ** 0.5, (1, 1, 1, 10, 1))
            noise = rng.normal(0, 0.1, (4, 4, 1, 10, 2))
            # Far inside 0 and 1 after scaling: components scale by its square.
            y = 0.5 + (v + m + vm + c + noise) / 20
            found = effects_of(rows(y, "abcd", "wxyz"), n_resamples=100)
            named = self.shares(found)
            for source in truth:
                sums[source] += named[source] * 400
        for source, wanted in truth.items():
            self.assertAlmostEqual(sums[source] / n, wanted, delta=wanted * 0.25, msg=source)

    def test_a_negative_estimate_becomes_nothing_and_is_named(self):
        # Versions alike on the whole, but opposite from case to case.
        table = np.array([[0.0, 1.0, 0.0, 1.0], [1.0, 0.0, 1.0, 0.0]]).reshape(2, 1, 1, 4, 1)
        found = effects_of(rows(table, "ab", "x"))
        self.assertIn("version", found.negative)
        self.assertEqual(self.shares(found)["version"], 0)

    def test_a_case_with_a_missing_score_is_left_out_for_all(self):
        table = np.full((2, 2, 1, 3, 1), 0.5)
        table[0] += 0.2
        table[0, 1, 0, 2, 0] = np.nan
        found = effects_of(rows(table, "ab", "xy"))
        self.assertEqual((found.n_cases, found.n_dropped), (2, 1))

    def test_what_gives_no_shares_says_why(self):
        one = effects_of(rows(np.full((1, 1, 1, 3, 1), 0.5), "a", "x"))
        self.assertIn("only one arm", one.why_null)
        table = rows(np.full((2, 2, 1, 3, 1), 0.5), "ab", "xy")
        same = effects_of(table)
        self.assertIn("every score is the same", same.why_null)
        part = [r for r in table if (r.version, r.model) != ("b", "y")]
        self.assertIn("no full crossing", effects_of(part).why_null)
        few = effects_of(rows(np.full((2, 1, 1, 1, 1), 0.5), "ab", "x"))
        self.assertIn("two are needed", few.why_null)

    def test_scores_that_are_none(self):
        good = rows(np.full((2, 1, 1, 3, 1), 0.5), "ab", "x")
        for bad in (FactorRow("a", "x", "s", "c0", 5, 1.5), good[0]):
            with self.assertRaises(CannotCompareError):
                effects_of([*good, bad])


if __name__ == "__main__":
    unittest.main()
