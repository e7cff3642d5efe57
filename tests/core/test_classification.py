"""Accuracy, precision, recall and F1 by hand, and laws that hold for any labels."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nomikon.core.stats.classification import NO_ANSWER, OFF_LIST, classify, spread


class ClassificationTest(unittest.TestCase):
    def test_by_hand(self):
        wanted = ["a"] * 4 + ["b"] * 3 + ["c"]
        given_ = ["a", "a", "b", None, "b", "b", "x", "a"]
        found = classify(wanted, given_)
        self.assertEqual(found.rows, ["a", "b", "c"])
        self.assertEqual(found.columns, ["a", "b", "c", OFF_LIST, NO_ANSWER])
        self.assertEqual(found.matrix.tolist(), [[2, 1, 0, 0, 1], [0, 2, 0, 1, 0], [1, 0, 0, 0, 0]])
        self.assertEqual(found.accuracy, 0.5)
        a, b, c = found.per_label
        self.assertEqual((a.precision, a.recall, a.f1), (2 / 3, 0.5, 4 / 7))
        self.assertEqual((b.precision, b.recall, b.f1), (2 / 3, 2 / 3, 2 / 3))
        self.assertEqual((c.precision, c.recall, c.f1), (None, 0.0, 0.0))
        self.assertAlmostEqual(found.macro_f1, (4 / 7 + 2 / 3) / 3)

    def test_nothing_to_count(self):
        self.assertEqual((classify([], []).accuracy, classify([], []).macro_f1), (None, None))
        with self.assertRaises(ValueError):
            classify(["a"], [])

    @given(
        st.lists(
            st.tuples(st.sampled_from("abc"), st.sampled_from(["a", "b", "c", "x", None])),
            min_size=1,
        )
    )
    def test_every_answer_is_in_one_cell_and_all_right_is_one(self, rows):
        wanted, answers = [w for w, _ in rows], [g for _, g in rows]
        found = classify(wanted, answers)
        self.assertEqual(found.matrix.sum(), len(rows))
        self.assertEqual(found.matrix.sum(axis=1).tolist(), [f.n for f in found.per_label])
        perfect = classify(wanted, wanted)
        self.assertEqual((perfect.accuracy, perfect.macro_f1), (1.0, 1.0))


class SpreadTest(unittest.TestCase):
    def test_each_figure_is_worked_out_anew_in_every_resample(self):
        """Held against the plain way: classify() on drawn cases, quantiles of what it says."""
        rng = np.random.default_rng(5)
        labels = np.array(["a", "b", "c"])
        wanted = list(labels[rng.integers(0, 3, 60)])
        given_ = [w if rng.random() < 0.7 else str(rng.choice([*labels, "x"])) for w in wanted]
        cases = [str(i // 2) for i in range(60)]
        found = spread(wanted, given_, cases, n_resamples=3000)
        plain = []
        for _ in range(1500):
            drawn = rng.integers(0, 30, 30)
            rows = [i for d in drawn for i in (2 * d, 2 * d + 1)]
            plain.append(classify([wanted[i] for i in rows], [given_[i] for i in rows]))
        for name in ("accuracy", "macro_f1"):
            low, high = np.quantile([getattr(p, name) for p in plain], [0.025, 0.975])
            with self.subTest(name=name):
                self.assertAlmostEqual(getattr(found, name)[0], low, delta=0.02)
                self.assertAlmostEqual(getattr(found, name)[1], high, delta=0.02)

    def test_what_was_always_right_may_not_always_be(self):
        found = spread(["a", "b"] * 5, ["a", "b"] * 5, [str(i) for i in range(10)], n_resamples=200)
        self.assertEqual(found.accuracy[1], 1.0)
        # One wrong case more, drawn up to three times in eleven.
        self.assertAlmostEqual(found.accuracy[0], 8 / 11, delta=0.1)
        self.assertEqual(found.f1["a"][1], 1.0)
        self.assertLess(found.f1["a"][0], 0.9)
        self.assertEqual(spread([], [], []).f1, {})
