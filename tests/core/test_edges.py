"""Every threshold on both sides, every sign where a wrong one would show."""

import math
import unittest
from dataclasses import replace

import numpy as np
import scipy.stats

from nomikon.core.measures import Answer, read_scorecard, score_answer
from nomikon.core.prompts.alignment import (
    MOVED_CLAUSE,
    SAME_CLAUSE,
    align_clauses,
    align_messages,
    similarity,
)
from nomikon.core.prompts.amendments import amendments_between
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.evidence import ALIKE, Remark, gather_faults
from nomikon.core.prompts.messages import Message
from nomikon.core.stats import (
    ScoreRow,
    bca,
    bca_usable,
    case_means,
    compare,
    difference_interval,
    holm,
    mean_interval,
    resampled_means,
    sign_flip,
    threshold_state,
    wilson,
)
from nomikon.core.stats.classification import spread
from nomikon.core.stats.drift import drift
from nomikon.core.stats.slices import slices_of
from nomikon.core.stats.words import level_after
from nomikon.core.trials import Conversation, PlannedArm, PlannedCase, estimate
from nomikon.core.trials.calibration import ENOUGH, REMEMBERED, Calibration
from nomikon.core.trials.estimates import estimate_messages
from nomikon.core.trials.racing import look_points, losers
from nomikon.core.trials.rounds import best_credible


class BcaSignTest(unittest.TestCase):
    """Strongly skewed values: an acceleration of the wrong sign, or a bias of it, would show."""

    def test_against_scipy_on_skewed_values_both_ways(self):
        draws = np.random.default_rng(8).exponential(0.12, 35)
        for values in (np.minimum(draws, 1.0), 1 - np.minimum(draws, 1.0)):
            drawn = resampled_means(values[:, None], n_resamples=40_000, seed=3)[:, 0]
            low, high = bca(values, drawn)
            wanted = scipy.stats.bootstrap(
                (values,), np.mean, n_resamples=40_000, method="BCa", rng=np.random.default_rng(4)
            ).confidence_interval
            error = values.std(ddof=1) / math.sqrt(values.size)
            # A sign turned round moves each end by about 0.35 of a standard error here.
            self.assertAlmostEqual(low, wanted.low, delta=0.07 * error)
            self.assertAlmostEqual(high, wanted.high, delta=0.07 * error)

    def test_acceleration_by_hand_without_any_bias(self):
        # 40 values, skewness 1.5 by construction; resamples exactly normal, so z0 is 0.
        values = np.array([0.0] * 32 + [1.0] * 8)
        skewness = (1 - 2 * 0.2) / math.sqrt(0.2 * 0.8)
        a = skewness / (6 * math.sqrt(40))
        error = math.sqrt(0.2 * 0.8 / 40)
        grid = (np.arange(200_000) + 0.5) / 200_000
        drawn = 0.2 + error * scipy.stats.norm.ppf(grid)
        z = 1.959964
        wanted = [0.2 + error * (s / (1 - a * s)) for s in (-z, z)]
        found = bca(values, drawn)
        self.assertAlmostEqual(found[0], wanted[0], places=4)
        self.assertAlmostEqual(found[1], wanted[1], places=4)


class RandomSignsTest(unittest.TestCase):
    def test_no_pattern_as_far_out_leaves_the_observed_one_itself(self):
        # 60 differences off any grid, all above zero: no random pattern reaches their sum.
        d = np.linspace(0.3, 0.7, 60) + np.sqrt(np.arange(60)) * 1e-4
        found = sign_flip(d, n_resamples=999, seed=0)
        self.assertEqual((found.method, found.p), ("random", 1 / 1000))
        self.assertEqual(sign_flip(d, n_resamples=4_999, seed=0).p, 1 / 5000)

    def test_twenty_are_enumerated_and_one_more_are_drawn(self):
        rng = np.random.default_rng(1)
        self.assertEqual(sign_flip(rng.normal(0.1, 1, 20)).method, "enumeration")
        self.assertEqual(sign_flip(rng.normal(0.1, 1, 21)).method, "random")
        # Ties carry no sign and do not count.
        with_ties = np.concatenate([rng.normal(0.1, 1, 20), np.full(9, 9e-10)])
        self.assertEqual(sign_flip(with_ties).method, "enumeration")

    def test_enumeration_by_hand(self):
        # Sums of ±π/10 ± e/10 ± 0.5: two of eight are as far from zero as the observed 1.086.
        self.assertEqual(sign_flip(np.array([math.pi / 10, math.e / 10, 0.5])).p, 2 / 8)
        self.assertEqual(sign_flip(np.array([-math.pi / 10, math.e / 10, 0.5])).p, 6 / 8)


class CaseCountTest(unittest.TestCase):
    """30 cases, 10 of them off the commonest value."""

    def test_thirty_cases_and_not_one_fewer(self):
        spread = np.linspace(0, 1, 30)
        self.assertTrue(bca_usable(spread))
        self.assertFalse(bca_usable(spread[:29]))
        self.assertEqual(mean_interval(spread, spread).method, "bca")
        self.assertEqual(mean_interval(spread[:29], spread).method, "betting")
        self.assertEqual(difference_interval(spread, spread, 0.01).method, "bca")
        self.assertEqual(difference_interval(spread[:29], spread, 0.01).method, "inverted")

    def test_ten_off_the_commonest_and_not_one_fewer(self):
        self.assertTrue(bca_usable(np.array([0.0] * 30 + [1.0] * 10)))
        self.assertFalse(bca_usable(np.array([0.0] * 30 + [1.0] * 9)))

    def test_wilson_at_another_level(self):
        # SciPy: binomtest(7, 20).proportion_ci(0.9, method='wilson').
        wanted = scipy.stats.binomtest(7, 20).proportion_ci(0.9, method="wilson")
        self.assertAlmostEqual(wilson(0.35, 20, level=0.9)[0], wanted.low, places=12)


class SliceEdgeTest(unittest.TestCase):
    def slices(self, n, value=-0.5, others=30):
        differences = {f"s{i}": value for i in range(n)}
        differences |= {f"o{i}": 0.25 for i in range(others)}
        parts = [("small", [f"s{i}" for i in range(n)])]
        return slices_of(differences, parts, n_resamples=500)

    def test_ten_cases_and_not_one_fewer(self):
        found, small = self.slices(10)
        self.assertEqual(([s.name for s in found], small), (["small"], 0))
        self.assertEqual(self.slices(9), ([], 1))

    def test_a_loss_asks_for_a_look_and_a_gain_does_not(self):
        self.assertTrue(self.slices(10)[0][0].look)
        self.assertFalse(self.slices(10, value=0.5)[0][0].look)

    def test_a_part_that_holds_every_case_is_no_part(self):
        self.assertEqual(self.slices(12, others=0), ([], 0))


class ThresholdEdgeTest(unittest.TestCase):
    def test_an_end_that_touches(self):
        for low, high, limits, wanted in (
            (0.8, 0.9, {"at_least": 0.8}, "met"),
            (0.79, 0.9, {"at_least": 0.8}, "unsure"),
            (0.7, 0.8, {"at_least": 0.8}, "unsure"),
            (0.7, 0.79, {"at_least": 0.8}, "missed"),
            (0.1, 0.2, {"at_most": 0.2}, "met"),
            (0.1, 0.21, {"at_most": 0.2}, "unsure"),
            (0.2, 0.3, {"at_most": 0.2}, "unsure"),
            (0.21, 0.3, {"at_most": 0.2}, "missed"),
            (None, None, {"at_least": 0.8}, "unsure"),
        ):
            with self.subTest(low=low, high=high, **limits):
                self.assertEqual(threshold_state(low, high, **limits), wanted)


class GateTest(unittest.TestCase):
    """A gate lets through what it scores 1, nothing less; repeats are averaged after it."""

    CARD = read_scorecard(
        {
            "nomikon": "scorecard/1",
            "measures": [
                {"measure": "json-fields", "fields": {"a": 1, "b": 1}, "gate": True, "weight": 0},
                {"measure": "contains", "all": ["a"]},
            ],
        }
    )

    def total(self, output):
        return score_answer(self.CARD, Answer(output, '{"a": 1, "b": 2}'))

    def test_half_a_gate_is_no_gate(self):
        half = self.total('{"a": 1, "b": 3}')
        self.assertEqual(half.by_name["json-fields"].value, 0.5)
        self.assertEqual((half.total.value, half.ungated), (0.0, 1.0))
        whole = self.total('{"a": 1, "b": 2}')
        self.assertEqual((whole.total.value, whole.ungated), (1.0, 1.0))

    def test_one_repeat_of_two_through_the_gate_counts_half(self):
        rows = [
            ScoreRow("x", "c1", n, self.total(output).total.value)
            for n, output in enumerate(('{"a": 1, "b": 2}', '{"a": 1, "b": 3}'))
        ]
        self.assertEqual(compare(rows, n_resamples=200).arms[0].mean, 0.5)


class MissingTest(unittest.TestCase):
    ROWS = [ScoreRow("x", "c1", 0, 1.0), ScoreRow("x", "c1", 1, None), ScoreRow("x", "c2", 0, 0.5),
            ScoreRow("x", "c2", 1, 0.5), ScoreRow("y", "c1", 0, 1.0), ScoreRow("y", "c1", 1, 1.0),
            ScoreRow("y", "c2", 0, 0.0)]  # fmt: skip

    def test_dropped_and_as_zero(self):
        _, cases, means = case_means(self.ROWS)
        self.assertEqual(cases, ["c1", "c2"])
        np.testing.assert_array_equal(means, [[np.nan, 1.0], [0.5, np.nan]])
        _, _, zero = case_means(self.ROWS, missing="zero")
        np.testing.assert_array_equal(zero, [[0.5, 1.0], [0.5, 0.0]])


class HolmTest(unittest.TestCase):
    def test_against_the_worked_example(self):
        # Holm (1979): p = 0.01, 0.02, 0.03, 0.04 with m = 4 give 0.04, 0.06, 0.06, 0.06.
        self.assertEqual(
            [round(p, 12) for p in holm([0.03, 0.01, 0.04, 0.02])], [0.06, 0.04, 0.06, 0.06]
        )
        self.assertEqual(holm([0.9, 0.8]), [1.0, 1.0])


class LevelTest(unittest.TestCase):
    def test_an_extension_takes_half_of_what_is_left_of_its_share(self):
        self.assertEqual([level_after(k) for k in range(4)], [0.04, 0.005, 0.0025, 0.00125])


class RaceEdgeTest(unittest.TestCase):
    def test_five_looks_none_at_either_end(self):
        self.assertEqual(look_points(60), (10, 20, 30, 40, 50))
        self.assertEqual(look_points(3), (1, 2))
        self.assertEqual(look_points(1), ())

    def test_beaten_just_under_the_level_and_not_at_it(self):
        # k wins and no loss: one-sided p = 2^-k; two arms, so each look tests at 0.05 ÷ 5 = 0.01.
        for wins, gone in ((7, 1), (6, 0)):
            means = np.zeros((wins, 2))
            means[:, 0] = 1.0
            self.assertEqual(len(losers(means, 2)), gone, wins)
        # 2^-7 = 0.0078 is over 0.05 ÷ 10, the level where three arms began.
        means = np.zeros((7, 2))
        means[:, 1] = 1.0
        self.assertEqual(losers(means, 3), [])
        (out,) = losers(means, 2)
        self.assertEqual((out.arm, out.against), (0, 1))
        self.assertAlmostEqual(out.p, 2**-7, places=12)


class RoundEdgeTest(unittest.TestCase):
    def decided(self, p, difference=0.1):
        rng = np.random.default_rng(0)
        rows = [
            ScoreRow(arm, str(c), 0, float(rng.random() / 2 + gain))
            for arm, gain in (("parent", 0.0), ("child", 0.3))
            for c in range(12)
        ]
        found = compare(rows, against="parent", n_resamples=200)
        (pair,) = found.comparisons
        told = replace(pair, p_holm=p, difference=difference)
        return best_credible(found.arms, [told], lengths={}, left=set()).arm

    def test_under_the_level_ahead_and_still_in(self):
        self.assertEqual(self.decided(0.0499), "child")
        self.assertIsNone(self.decided(0.05))
        self.assertIsNone(self.decided(0.001, difference=0.0))
        self.assertIsNone(self.decided(0.001, difference=-0.2))


class CalibrationEdgeTest(unittest.TestCase):
    def test_trusted_from_five_calls_on_and_forgetting_after_four_thousand(self):
        four = Calibration().learn([(10, 20)] * (ENOUGH - 1))
        self.assertEqual((four.factor, four.error), (1.0, None))
        five = four.learn([(10, 20)])
        self.assertEqual(five.factor, 2.0)
        # Every call was told 10 and took 20 before anything was trusted: off by half of what it took.
        self.assertEqual(five.error, 0.5)
        full = Calibration(REMEMBERED, 10.0 * REMEMBERED, 20.0 * REMEMBERED, 0.0).learn([(10, 0)])
        self.assertEqual(full.n, REMEMBERED)
        self.assertAlmostEqual(full.reported, 20 * (REMEMBERED - 1))
        nearly = Calibration(REMEMBERED - 1, 1.0, 1.0, 0.0).learn([(1, 1)])
        self.assertEqual((nearly.n, nearly.reported), (REMEMBERED, 2.0))


class DriftEdgeTest(unittest.TestCase):
    def test_two_cases_in_common_and_not_one(self):
        self.assertIsNone(drift({"a": 1.0}, {"a": 0.0}, planned=1).change)
        found = drift({"a": 1.0, "b": 1.0}, {"a": 0.0, "b": 0.5}, planned=1)
        self.assertEqual((found.change, found.drifted), (-0.75, False))

    def test_one_check_alone_is_held_to_a_third_of_the_five_percent(self):
        # Score, cost and time share it: 0.0167. Six falls of one size: p = 2 ÷ 2^6 = 0.031; seven: 0.016.
        for n, drifted in ((6, False), (7, True)):
            before = {str(i): 1.0 for i in range(n)}
            found = drift(before, dict.fromkeys(before, 0.5), planned=1)
            self.assertEqual((found.level, found.drifted), (0.05 / 3, drifted), n)


class AlignmentEdgeTest(unittest.TestCase):
    """A clause is the same one from 40 % of common words on; a moved one from 70 % on."""

    def pair(self, shared, own):
        """Two clauses of `shared` common and `own` different words each: Dice = shared ÷ total."""
        common = [f"c{i}" for i in range(shared)]
        return tuple(" ".join([*common, *(f"{side}{i}" for i in range(own))]) for side in "ab")

    def test_the_share_of_common_words(self):
        a, b = self.pair(4, 6)
        self.assertAlmostEqual(similarity([a], [b])[0, 0], 0.4)
        self.assertAlmostEqual(similarity([a], [self.pair(3, 7)[1]])[0, 0], 0.3)
        self.assertGreater(similarity([a], [a])[0, 0], 1.0)

    def kinds(self, before, after):
        old, new = ((Message("user", t),) for t in (before, after))
        return sorted(a.kind for a in amendments_between(old, new).amendments)

    def test_amended_at_forty_percent_and_another_clause_below(self):
        self.assertEqual(SAME_CLAUSE, 0.4)
        a, b = self.pair(2, 3)
        self.assertEqual(self.kinds(a, b), ["amend"])
        a, b = self.pair(3, 5)
        self.assertEqual(self.kinds(a, b), ["add", "strike"])

    def test_a_move_takes_seventy_percent(self):
        self.assertEqual(MOVED_CLAUSE, 0.7)
        one = [Message("user", "\n".join(f"{w}." for w in words)) for words in self.columns(7, 3)]
        other = [Message("user", "\n".join(f"{w}." for w in words)) for words in self.columns(6, 4)]
        for (before, after), wanted in ((one, 1), (other, 0)):
            pairs = align_messages([before], [after])
            _, moved = align_clauses(clauses_of([before]), clauses_of([after]), pairs)
            self.assertEqual(len(moved), wanted)

    def columns(self, shared, own):
        # The full stops tell nothing beside words.
        a, b = self.pair(shared, own)
        stay = [" ".join(f"s{k}x{i}" for i in range(9)) for k in range(3)]
        return [[a, *stay], [*stay, b]]

    def rewritten(self, kept, of):
        lines = [" ".join(f"l{k}w{i}" for i in range(6)) + "." for k in range(of)]
        other = [" ".join(f"m{k}v{i}" for i in range(6)) + "." for k in range(of - kept)]
        old, new = "\n".join(lines), "\n".join([*lines[:kept], *other])
        return amendments_between((Message("user", old),), (Message("user", new),)).rewritten

    def test_side_by_side_where_under_forty_percent_is_kept(self):
        self.assertFalse(self.rewritten(4, 10))
        self.assertTrue(self.rewritten(3, 10))
        self.assertFalse(self.rewritten(2, 5))
        self.assertTrue(self.rewritten(1, 5))


class ConversationEstimateTest(unittest.TestCase):
    def test_each_call_carries_all_that_was_said_before_it(self):
        prompt = (Message("system", "Be kind."),)
        arm = PlannedArm("a", "a", prompt, {"max_tokens": 100}, 1_000_000_000, 2_000_000_000, None)
        played = PlannedCase("c", {}, conversation=Conversation(user="a cross guest", most=3))
        found = estimate([arm], [played], 2)
        # By hand: three turns; the prompt three times; the guest says 60 tokens a turn (180 at the
        # end), and before calls two and three stand one and two rounds of 60 + 100.
        own = estimate_messages(["Be kind."])
        self.assertEqual(found.calls, 2 * 3)
        self.assertEqual(found.tokens_in, 2 * (3 * own + (1 + 2) * 160 + 180))
        self.assertEqual(found.tokens_out, 2 * 3 * 100)
        written = PlannedCase("d", {}, conversation=Conversation(turns=("Hello.", "And now?")))
        first, second = (estimate_messages([t]) for t in ("Hello.", "And now?"))
        found = estimate([arm], [written], 1)
        each = (first + second) // 2 + 100
        self.assertEqual(found.tokens_in, 2 * own + each + first + second)


class LabelSpreadTest(unittest.TestCase):
    def test_a_label_that_a_resample_does_not_hold_counts_nothing_there(self):
        # “b” is wanted once, found there, and given once more where it was not wanted. Resamples
        # without the first case say nothing of its F1, though some hold the second.
        wanted = ["b", *["a"] * 19]
        given = ["b", "b", *["a"] * 18]
        found = spread(wanted, given, [str(i) for i in range(20)], n_resamples=4000)
        low, high = found.f1["b"]
        # With one wrong case more, a third of resamples find no “b” at all.
        self.assertEqual(low, 0.0)
        self.assertEqual(high, 1.0)


class LikenessOfRemarksTest(unittest.TestCase):
    def test_what_shares_a_third_of_its_words_goes_together(self):
        said = [
            Remark("mark", "vessel missing entirely", 1, 1),
            Remark("mark", "vessel missing again", 2, 2),
            Remark("mark", "rude tone throughout", 3, 3),
        ]
        found = gather_faults(said)
        self.assertEqual([f.n for f in found], [2, 1])
        self.assertGreater(ALIKE, 0.3)

    def test_a_key_stays_while_others_join_and_come_before(self):
        first = Remark("mark", "vessel missing entirely", 1, 1)
        alone = gather_faults([first])[0].key
        joined = gather_faults(
            [first, Remark("mark", "vessel missing again", 2, 2), Remark("fault", "rude", 3, 3, "rude"),
             Remark("fault", "rude", 4, 4, "rude"), Remark("fault", "rude", 5, 5, "rude")]
        )  # fmt: skip
        self.assertEqual([f.n for f in joined], [3, 2])
        self.assertEqual([f.key == alone for f in joined], [False, True])
        self.assertEqual(len({f.key for f in joined}), 2)


if __name__ == "__main__":
    unittest.main()
