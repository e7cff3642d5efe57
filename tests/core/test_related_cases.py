"""Cases that share a source: weights, effects and the gap of gains take sources as their units."""

import unittest

import numpy as np

from nomikon.core.stats.clause_weights import clause_weights
from nomikon.core.stats.effects import FactorRow, effects_of
from nomikon.core.stats.gap import gap_of_gains
from nomikon.core.stats.screening import screening_rows
from nomikon.core.stats.sources import units_of

COPIES = 4


def named(n):
    return [f"source {i // COPIES}" for i in range(n * COPIES)]


class CopiesTest(unittest.TestCase):
    """A case written down four times tells no more than the case, where it is told as one source."""

    def setUp(self):
        self.rng = np.random.default_rng(3)

    def test_the_gap_of_gains(self):
        for n, m in ((60, 40), (9, 5)):
            working = self.rng.choice([0.0, 0.25, 0.5, -0.25], n)
            held = self.rng.choice([0.0, 0.25, -0.25], m)
            once = gap_of_gains(working, held)
            copied = (np.repeat(working, COPIES), np.repeat(held, COPIES))
            as_one = gap_of_gains(*copied, sources=(named(n), named(m)))
            self.assertAlmostEqual(as_one.low, once.low)
            self.assertAlmostEqual(as_one.high, once.high)
            self.assertEqual(as_one.reading, once.reading)
            apart = gap_of_gains(*copied)
            self.assertLess(apart.high - apart.low, 0.8 * (once.high - once.low))

    def test_clause_weights(self):
        rows = screening_rows(4)
        truth = [0.08, 0.0, 0.02, 0.0]
        full = np.array([0.6 - sum(truth[u] for u in row) for row in rows])
        table = np.clip(full + self.rng.normal(0, 0.2, (40, len(rows))), 0, 1)
        once = clause_weights(rows, table, 4, n_resamples=500)
        copied = np.repeat(table, COPIES, axis=0)
        as_one = clause_weights(rows, copied, 4, n_resamples=500, sources=named(40))
        self.assertEqual((as_one.n_cases, once.n_cases), (160, 40))
        for one, other in zip(as_one.weights, once.weights, strict=True):
            self.assertAlmostEqual(one.p, other.p)
            self.assertAlmostEqual(one.low, other.low)
            self.assertEqual(one.verdict, other.verdict)
        self.assertAlmostEqual(as_one.misfit, once.misfit)
        apart = clause_weights(rows, copied, 4, n_resamples=500)
        self.assertLess(apart.weights[0].p, once.weights[0].p)

    def test_effects(self):
        scores = np.clip(self.rng.normal(0.5, 0.2, (2, 40)), 0, 1)
        scores[1] = np.clip(scores[1] + 0.05, 0, 1)

        def rows(copies):
            return [
                FactorRow(version, "m", "s", f"{case}.{copy}", 0, float(scores[place, case]))
                for place, version in enumerate("ab")
                for case in range(40)
                for copy in range(copies)
            ]

        once = effects_of(rows(1))
        sources = {f"{case}.{copy}": str(case) for case in range(40) for copy in range(COPIES)}
        as_one = effects_of(rows(COPIES), sources=sources)
        for one, other in zip(as_one.effects, once.effects, strict=True):
            self.assertAlmostEqual(one.low, other.low)
            self.assertAlmostEqual(one.high, other.high)
        apart = effects_of(rows(COPIES)).effects[0]
        self.assertLess(apart.high - apart.low, 0.7 * (once.effects[0].high - once.effects[0].low))

    def test_sources_of_unequal_size_give_the_variance_of_a_ratio(self):
        # Cochran 1977, Sampling Techniques, equation 6.4 without the finite correction, by hand:
        # sums 3, 1, 4 over sizes 3, 2, 5; mean 0.8; errors 0.6, −0.6, 0 over a mean size of 10 ÷ 3.
        values = np.array([1, 1, 1, 0, 1, 1, 1, 1, 1, 0], dtype=float)
        units = units_of(values[:, None], np.array([0, 0, 0, 1, 1, 2, 2, 2, 2, 2]))
        self.assertAlmostEqual(float(units.mean[0]), 0.8)
        variance = float((units.apart**2).sum()) / 2 / 3
        self.assertAlmostEqual(variance, 2 * 0.36 / 2 / 3 / (10 / 3) ** 2)


if __name__ == "__main__":
    unittest.main()
