"""Strengths from pairs: a published example, ties and sides by hand, what no finite strength fits."""

import math
import unittest

import numpy as np

from nomikon.core.stats.pairs import Pair, PairsError, strengths

# Agresti (2002), Categorical Data Analysis, table 10.10: American League East 1987, wins of the
# home team and of the visitors. Home teams by row, visitors in the same order, own place left out.
TEAMS = ["Milwaukee", "Detroit", "Toronto", "New York", "Boston", "Cleveland", "Baltimore"]
HOME = {
    "Milwaukee": [(4, 3), (4, 2), (4, 3), (6, 1), (4, 2), (6, 0)],
    "Detroit": [(3, 3), (4, 2), (4, 3), (6, 0), (6, 1), (4, 3)],
    "Toronto": [(2, 5), (4, 3), (2, 4), (4, 3), (4, 2), (6, 0)],
    "New York": [(3, 3), (5, 1), (2, 5), (4, 3), (4, 2), (6, 1)],
    "Boston": [(5, 1), (2, 5), (3, 3), (4, 2), (5, 2), (6, 0)],
    "Cleveland": [(2, 5), (3, 3), (3, 4), (4, 3), (4, 2), (2, 4)],
    "Baltimore": [(2, 5), (1, 5), (1, 6), (2, 4), (1, 6), (3, 4)],
}


def league():
    return [
        Pair(home, away, outcome)
        for home, rows in HOME.items()
        for away, (won, lost) in zip([t for t in TEAMS if t != home], rows, strict=True)
        for outcome in ["left"] * won + ["right"] * lost
    ]


class PublishedTest(unittest.TestCase):
    def test_the_baseball_league_with_home_advantage(self):
        """Published maximum likelihood estimates, Baltimore at 0, home advantage 0.302."""
        found = strengths(league(), n_resamples=20)
        by = {s.item: s.strength for s in found.items}
        for team, wanted in (
            ("Milwaukee", 1.620),
            ("Detroit", 1.475),
            ("Toronto", 1.327),
            ("New York", 1.281),
            ("Boston", 1.144),
            ("Cleveland", 0.705),
        ):
            with self.subTest(team=team):
                self.assertAlmostEqual(by[team] - by["Baltimore"], wanted, places=3)
        self.assertAlmostEqual(found.side_bias, 0.302, places=3)
        self.assertAlmostEqual(sum(by.values()), 0.0, places=9)
        self.assertFalse(found.ridge)


class ByHandTest(unittest.TestCase):
    def test_two_items_without_a_side_are_the_log_odds(self):
        """Shown on both sides alike: 3 to 1 gives ln 3 between them, and no side."""
        pairs = [
            *[Pair("a", "b", "left")] * 3,
            Pair("a", "b", "right"),
            *[Pair("b", "a", "right")] * 3,
            Pair("b", "a", "left"),
        ]
        found = strengths(pairs, n_resamples=200)
        a, b = found.items
        self.assertAlmostEqual(a.strength - b.strength, math.log(3), places=8)
        self.assertAlmostEqual(found.side_bias, 0.0, places=8)
        self.assertEqual((a.wins, a.losses, a.ties), (6, 2, 0))
        self.assertLess(a.low, a.strength)
        self.assertLess(a.strength, a.high)

    def test_ties_pull_strengths_no_way(self):
        """Davidson's model: with ties in both orders alike, the odds of wins are what they were."""
        pairs = [
            *[Pair("a", "b", "left")] * 4,
            *[Pair("a", "b", "right")] * 2,
            *[Pair("a", "b", "tie")] * 5,
        ]
        turned = [
            Pair(p.right, p.left, {"left": "right", "right": "left"}.get(p.outcome, "tie"))
            for p in pairs
        ]
        a, b = strengths([*pairs, *turned], n_resamples=50).items
        self.assertAlmostEqual(a.strength - b.strength, math.log(2), places=8)
        self.assertEqual(a.ties, 10)

    def test_a_reader_who_always_takes_the_left_says_nothing_of_items(self):
        pairs = [Pair("a", "b", "left"), Pair("b", "a", "left")] * 10
        found = strengths(pairs, n_resamples=50)
        self.assertIsNone(found.side_bias)
        self.assertAlmostEqual(found.items[0].strength, 0.0, places=6)

    def test_who_never_lost_gets_a_finite_strength_by_a_ridge_and_it_is_said(self):
        pairs = [Pair("a", "b", "left"), Pair("b", "a", "right")] * 4
        found = strengths(pairs, n_resamples=50)
        self.assertTrue(found.ridge)
        self.assertIn("ridge", found.why)
        self.assertTrue(all(np.isfinite(s.strength) for s in found.items))
        self.assertEqual({s.low for s in found.items}, {None})

    def test_intervals_stay_finite_where_few_pairs_can_be_explained_by_the_side_alone(self):
        pairs = [
            Pair("a", "b", outcome, str(i))
            for i, outcome in enumerate(["left"] * 5 + ["right"] * 2 + ["tie"] * 2)
        ] + [
            Pair("b", "a", outcome, f"r{i}") for i, outcome in enumerate(["left", "right", "right"])
        ]
        found = strengths(pairs, n_resamples=400)
        self.assertFalse(found.ridge)
        self.assertLess(max(abs(s.high) for s in found.items), 8.0)
        self.assertLess(abs(found.side_low), 8.0)

    def test_cases_are_resampled_whole(self):
        """Ten readers of one case are one case: without a second there is no interval."""
        found = strengths([Pair("a", "b", o, "1") for o in ("left", "right", "tie")] * 4)
        self.assertIsNone(found.items[0].low)

    def test_what_is_no_pair_is_refused(self):
        for pairs in ([], [Pair("a", "a", "left")], [Pair("a", "b", "first")]):
            with self.subTest(pairs=pairs), self.assertRaises(PairsError):
                strengths(pairs)
