"""Accuracy, precision, recall and F1 by hand, and laws that hold for any labels."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from nomikon.core.stats.classification import NO_ANSWER, OFF_LIST, classify


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
