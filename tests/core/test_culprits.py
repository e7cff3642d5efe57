"""Which change did it: shares by the definition, their sum, what requires what, and who is named."""

import itertools
import random
import unittest

from nomikon.core.errors import PlanError
from nomikon.core.stats.culprits import (
    ENDS,
    EXACT,
    ORDERS,
    groups_of,
    orders_of,
    possible_subsets,
    shares_of,
    subsets_to_run,
    weights_of,
)


def by_definition(requires, worth):
    """The mean over all orders in which nothing comes before what it requires, order by order."""
    totals, n = dict.fromkeys(requires, 0.0), 0
    for order in itertools.permutations(requires):
        if any(order.index(b) > i for i, a in enumerate(order) for b in requires[a]):
            continue
        n += 1
        taken = frozenset()
        for player in order:
            totals[player] += worth(taken | {player}) - worth(taken)
            taken |= {player}
    return {a: t / n for a, t in totals.items()}


def free(names):
    return dict.fromkeys(names, ())


class CulpritsTest(unittest.TestCase):
    def test_the_glove_game_of_the_literature(self):
        # One left glove and two right ones: 2/3, 1/6, 1/6 (Osborne and Rubinstein, 1994, 14.4).
        def worth(taken):
            return float("left" in taken and len(taken) > 1)

        requires = free(["left", "right", "other"])
        scores = {s: {"1": worth(s)} for s in possible_subsets(requires)}
        found = shares_of(requires, scores)
        told = {s.amendment: round(s.share, 6) for s in found.shares}
        self.assertEqual(told, {"left": 0.666667, "right": 0.166667, "other": 0.166667})
        self.assertEqual((found.how, found.difference), (EXACT, 1.0))

    def test_random_games_agree_with_the_definition_and_sum_to_the_difference(self):
        draw = random.Random(3)
        for trial in range(25):
            names = [f"a{i}" for i in range(draw.randint(1, 5))]
            requires = {
                n: tuple(b for b in names[:i] if draw.random() < 0.25) for i, n in enumerate(names)
            }
            subsets = possible_subsets(requires)
            cases = [str(c) for c in range(6)]
            scores = {s: {c: draw.random() for c in cases} for s in subsets}
            found = shares_of(requires, scores, n_resamples=100)
            wanted = by_definition(requires, lambda s, t=scores: sum(t[s].values()) / len(t[s]))
            with self.subTest(trial=trial):
                for share in found.shares:
                    self.assertAlmostEqual(share.share, wanted[share.amendment], places=9)
                    self.assertLessEqual(share.low, share.share + 1e-9)
                    self.assertLessEqual(share.share, share.high + 1e-9)
                total = sum(s.share for s in found.shares)
                self.assertAlmostEqual(total, found.difference, places=9)

    def test_what_requires_each_other_goes_together_even_in_a_ring(self):
        requires = {"a": ("b",), "b": ("c",), "c": ("a",), "d": ("a",)}
        self.assertEqual(groups_of(requires), [frozenset("abc"), frozenset("d")])
        self.assertEqual([len(s) for s in possible_subsets(requires)], [0, 3, 4])
        scores = {
            frozenset(): {"1": 0.2}, frozenset("abc"): {"1": 0.5}, frozenset("abcd"): {"1": 0.4},
        }  # fmt: skip
        told = {s.amendment: s.share for s in shares_of(requires, scores).shares}
        self.assertAlmostEqual(told["a+b+c"], 0.3)
        self.assertAlmostEqual(told["d"], -0.1)

    def test_with_less_than_all_subsets_each_is_added_and_taken_back_alone(self):
        requires = free("abc")
        worth = {"": 0.1, "a": 0.4, "b": 0.1, "c": 0.2, "bc": 0.1, "ac": 0.6, "ab": 0.4, "abc": 0.5}
        scores = {frozenset(s): {"1": v, "2": v} for s, v in worth.items()}
        self.assertEqual(shares_of(requires, scores).how, EXACT)
        del scores[frozenset("ab")]
        with self.assertRaises(PlanError) as caught:
            shares_of(requires, scores)
        self.assertIn("the text with a+b", caught.exception.message)
        many = free([f"m{i:02}" for i in range(14)])
        whole = frozenset(many)
        scores = {frozenset(): {"1": 0.0}, whole: {"1": 0.5}}
        for name in many:
            scores[frozenset([name])] = {"1": 0.1 if name == "m03" else 0.0}
            scores[whole - {name}] = {"1": 0.2 if name == "m03" else 0.5}
        found = shares_of(many, scores)
        told = {s.amendment: s.share for s in found.shares}
        self.assertEqual(found.how, ENDS)
        self.assertAlmostEqual(told["m03"], (0.1 + 0.3) / 2)
        self.assertAlmostEqual(told["m04"], 0.0)

    def test_cases_that_a_text_lacks_count_for_none_and_nothing_is_told_in_words(self):
        scores = {frozenset(): {"1": 0.0, "2": 0.5}, frozenset("a"): {"1": 1.0, "3": 0.1}}
        found = shares_of(free("a"), scores)
        self.assertEqual((found.n_cases, found.n_dropped, found.difference), (1, 2, 1.0))
        for requires, given, words in (
            ({}, {}, "the same"),
            (free("a"), {frozenset("a"): {"1": 1.0}}, "without any amendment"),
            (free("a"), {frozenset(): {"1": 1.0}, frozenset("a"): {"2": 1.0}}, "no case"),
        ):
            with self.assertRaises(PlanError) as caught:
                shares_of(requires, given)
            self.assertIn(words, caught.exception.message)

    def test_drawn_orders_sum_to_the_difference_and_hold_what_all_orders_say(self):
        names = [f"a{i}" for i in range(6)]
        draw = random.Random(11)
        alone = {n: draw.uniform(-0.05, 0.05) for n in names}

        def worth(taken):
            # Two that only help together, one that undoes another.
            both = 0.12 * ({"a0", "a1"} <= taken) - 0.08 * ({"a2", "a3"} <= taken)
            return 0.4 + sum(alone[n] for n in taken) + both

        requires = free(names)
        exact = by_definition(requires, worth)
        held = 0
        for seed in range(20):
            orders = orders_of(requires, 8, seed)
            self.assertEqual(orders[1], orders[0][::-1])
            noise = random.Random(seed)
            bias = [noise.uniform(-0.2, 0.2) for _ in range(30)]
            scores = {
                s: {str(c): worth(s) + b for c, b in enumerate(bias)}
                for s in subsets_to_run(requires, orders)
            }
            self.assertLess(len(scores), 64)
            found = shares_of(requires, scores, orders=orders, n_resamples=400)
            self.assertEqual(found.how, ORDERS)
            self.assertAlmostEqual(sum(s.share for s in found.shares), found.difference, 9)
            for share in found.shares:
                held += share.low - 1e-9 <= exact[share.amendment] <= share.high + 1e-9
                self.assertAlmostEqual(share.share, exact[share.amendment], delta=0.08)
        # 95 of 100 at best; four pairs of orders are few to tell the spread by.
        self.assertGreaterEqual(held, 0.8 * 120)

    def test_an_order_takes_nothing_before_what_it_requires(self):
        requires = {"a": ("b",), "b": (), "c": ("d",), "d": ("c",), "e": ("a",)}
        for order in orders_of(requires, 12, 5):
            told = [sorted(g) for g in order]
            self.assertLess(told.index(["b"]), told.index(["a"]))
            self.assertLess(told.index(["a"]), told.index(["e"]))
            self.assertIn(["c", "d"], told)
        with self.assertRaises(PlanError):
            orders_of(requires, 41, 0)

    def test_the_harmful_one_of_eight_is_named_first(self):
        # Three that help, one that harms, four idle; 40 cases, right or wrong.
        effects = {"h1": 0.15, "h2": 0.12, "h3": 0.1, "bad": -0.2}
        names = [*effects, "i1", "i2", "i3", "i4"]
        requires, whole = free(names), frozenset(names)
        wanted = [frozenset(), whole]
        wanted += [frozenset([n]) for n in names] + [whole - {n} for n in names]
        named = 0
        for seed in range(200):
            draw = random.Random(seed)
            # A case is right where its own bar lies under what the text is worth on it.
            bars = [draw.random() for _ in range(40)]
            scores = {
                s: {
                    str(c): float(0.45 + sum(effects.get(n, 0.0) for n in s) > bar)
                    for c, bar in enumerate(bars)
                }
                for s in wanted
            }
            # Idle ones are run without all subsets, as a budget has it.
            found = shares_of(requires, scores, n_resamples=100)
            named += min(found.shares, key=lambda s: s.share).amendment == "bad"
        self.assertGreaterEqual(named, 180)

    def test_weights_of_many_are_quick_and_those_of_too_many_are_refused(self):
        subsets, weights = weights_of(free([f"m{i}" for i in range(10)]))
        self.assertEqual((len(subsets), weights.shape), (1024, (10, 1024)))
        self.assertTrue(abs(weights.sum()) < 1e-9)
        with self.assertRaises(PlanError):
            possible_subsets(free([f"m{i}" for i in range(13)]))
