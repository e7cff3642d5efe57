"""Sets of cases: near-duplicates against brute force, leaks, labels, lengths, outliers."""

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.core.cases.near import NEAR, NearPair, _plain, _shingles, near_duplicates
from nomikon.core.cases.quality import examine, smallest_difference
from nomikon.core.cases.split import held_out
from nomikon.core.errors import PlanError
from nomikon.core.stats import cases_needed


class NearDuplicatesTest(unittest.TestCase):
    def test_what_counts_as_near(self):
        texts = [
            "The 16:05 Harrier has been standing at the quay for an hour and nobody tells us why.",
            "the 16.05 harrier has been standing at the quay for an hour, and nobody tells us why",
            "The 16:05 Harrier has been standing at the quay for an hour and nobody told us why.",
            "My hat was left on board.",
            "",
            "",
        ]
        pairs = [(p.a, p.b) for p in near_duplicates(texts)]
        self.assertEqual(pairs, [(0, 1), (0, 2)])
        self.assertEqual(near_duplicates(texts)[0].likeness, 1.0)

    @settings(max_examples=60, deadline=None, derandomize=True)
    @given(
        st.lists(
            st.lists(
                st.sampled_from("late early ship quay fog hat lost found".split()),
                min_size=4,
                max_size=30,
            ),
            min_size=2,
            max_size=14,
        )
    )
    def test_the_same_pairs_as_by_comparing_each_with_each(self, rows):
        texts = list(dict.fromkeys(" ".join(r) for r in rows))
        found = {(p.a, p.b) for p in near_duplicates(texts)}
        for b in range(len(texts)):
            for a in range(b):
                x, y = _shingles(_plain(texts[a])), _shingles(_plain(texts[b]))
                likeness = len(x & y) / len(x | y)
                if likeness >= NEAR and likeness < 1:
                    self.assertIn((a, b), found)
                elif likeness < NEAR:
                    self.assertNotIn((a, b), found)


class ExamineTest(unittest.TestCase):
    def test_leaks_labels_lengths_and_outliers(self):
        messages = [
            f"a short message number {n} about something else {n * 7919}" for n in range(12)
        ]
        messages += ["x" * 5000, "", messages[0]]
        splits = ["working"] * 14 + ["held-out"]
        references = ["delay", "other"] * 7 + [None]
        found = examine(
            [{"message": m} for m in messages], references, splits, [["odd"]] + [[]] * 14
        )
        self.assertEqual([(p.a, p.b) for p in found.leaks], [(0, 14)])
        self.assertEqual(found.labels, {"delay": 7, "other": 7})
        self.assertEqual((found.empty, found.outliers, found.tags), ([13], [12], {"odd": 1}))
        lengths = found.lengths["message"]
        self.assertEqual((lengths.least, lengths.greatest, lengths.empty), (0, 5000, 1))
        texts = examine(
            [{"a": str(i)} for i in range(9)],
            [f"text {i}" for i in range(9)],
            ["working"] * 9,
            [[]] * 9,
        )
        self.assertIsNone(texts.labels)

    def test_the_smallest_difference_is_the_one_that_many_cases_are_needed_for(self):
        for n in (30, 120, 1000):
            self.assertEqual(cases_needed(0.5, smallest_difference(n) + 1e-9), n)
        self.assertIsNone(smallest_difference(0))


class CommandTest(unittest.TestCase):
    def test_a_file_is_looked_at(self):
        with tempfile.TemporaryDirectory() as place:
            file = Path(place) / "cases.csv"
            file.write_text(
                'message,reference,split\nwhere is my black hat please,lost,\n"Where is my black hat, please?",lost,held-out\nlate,delay\n'
            )
            done = subprocess.run(
                [sys.executable, "-m", "nomikon", "cases", "check", str(file), "--json"],
                capture_output=True, text=True, check=False,
            )  # fmt: skip
            self.assertEqual(done.returncode, 0, done.stderr)
            told = json.loads(done.stdout)
        self.assertEqual((told["rows"], told["columns"]), (2, ["message"]))
        self.assertEqual(told["leaks"], [{"lines": [2, 3], "likeness": 1.0}])
        self.assertEqual([r["line"] for r in told["refused"]], [4])


class SplitTest(unittest.TestCase):
    def test_each_stratum_gives_its_share_and_the_seed_decides(self):
        strata = ["a"] * 40 + ["b"] * 20 + ["c"] * 3
        chosen = held_out(strata, 0.25, 7)
        self.assertEqual(len(chosen), 16)
        self.assertEqual(sum(i < 40 for i in chosen), 10)
        self.assertEqual(sum(40 <= i < 60 for i in chosen), 5)
        self.assertEqual(chosen, held_out(strata, 0.25, 7))
        self.assertNotEqual(chosen, held_out(strata, 0.25, 8))
        for share in (0, 1, 1.5):
            with self.assertRaises(PlanError):
                held_out(strata, share, 0)

    @given(
        st.integers(0, 50), st.lists(st.tuples(st.integers(0, 19), st.integers(0, 19)), max_size=12)
    )
    def test_copies_are_never_parted(self, seed, pairs):
        copies = [NearPair(min(p), max(p), 0.9) for p in pairs if p[0] != p[1]]
        chosen = held_out(["x"] * 20, 0.3, seed, copies)
        for pair in copies:
            self.assertEqual(pair.a in chosen, pair.b in chosen)
