"""The table of results: one reading of a trial, whole or under way, for whoever asks."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.core.measures import read_scorecard
from nomikon.core.results import (
    ResultRow,
    all_at_once,
    arm_figures,
    beaten,
    case_scores,
    compared,
    counts_of,
    credible,
    differences,
    matrix,
    merits,
    scored_as_zero,
    table_of,
    thresholds,
    values_by_case,
)
from nomikon.core.results.labels import LabelRow, labels_of
from nomikon.core.stats import ScoreRow, case_means

CARD = read_scorecard(
    {
        "nomikon": "scorecard/1",
        "measures": [{"measure": "normalised-match"}, {"measure": "valid-json", "gate": True}],
        "thresholds": [{"measure": "total", "at_least": 0.75}],
    }
)


def row(key, arm, case, score, repeat=0, outcome="answered", cost=100, ms=20.0, ungated=None):
    failed = outcome == "failed"
    return ResultRow(
        key, arm, str(case), repeat, outcome, "timeout" if failed else "",
        None if failed else ms, None if failed else cost, None if failed else 7,
        None if failed else 2, score, score if ungated is None else ungated,
    )  # fmt: skip


def table(rows, arms=("a", "b"), complete=True, **more):
    place = {a: i for i, a in enumerate(arms)}
    more.setdefault("by_measure", lambda keys: dict.fromkeys(CARD.names, np.ones(len(keys))))
    return table_of(
        sorted(rows, key=lambda r: place[r.arm]), CARD, arms=arms, complete=complete, **more
    )


def two_arms(n=40, complete=True, **more):
    """b is right on every case, a on every second."""
    rows = [row(k, "a", k, float(k % 2)) for k in range(n)]
    return table([*rows, *(row(n + k, "b", k, 1.0) for k in range(n))], complete=complete, **more)


class FiguresTest(unittest.TestCase):
    @given(
        st.lists(
            st.tuples(
                st.sampled_from("abc"),
                st.integers(0, 5),
                st.integers(0, 2),
                st.one_of(st.none(), st.sampled_from([0.0, 0.25, 1.0])),
            ),
            min_size=1,
            max_size=40,
            unique_by=lambda t: t[:3],
        )
    )
    @settings(max_examples=80, deadline=None)
    def test_the_table_says_of_scores_what_rows_say(self, rows):
        """Whatever is missing and in whatever order: the case means of the same rows."""
        made = table([row(i, a, c, s, r) for i, (a, c, r, s) in enumerate(rows)], arms="abc")
        in_order = sorted(rows, key=lambda t: t[0])
        names, cases, means = case_means([ScoreRow(a, str(c), r, s) for a, c, r, s in in_order])
        found = matrix(made)
        self.assertEqual(found[0], names)
        at = [found[1].index(c) for c in cases]
        np.testing.assert_allclose(found[2][at], means)

    def test_an_unfinished_trial_is_estimated_and_beats_nothing(self):
        whole, part = two_arms(), two_arms(complete=False)
        (sure,), (so_far,) = (compared(t, against="a").comparisons for t in (whole, part))
        self.assertLess(sure.p_holm, 0.001)
        self.assertIsNone(so_far.p_holm)
        self.assertEqual((so_far.difference, so_far.low), (sure.difference, sure.low))
        self.assertEqual(beaten(whole, "a", 0.04).a, "b")
        self.assertIsNone(beaten(part, "a", 0.04))

    def test_of_unfinished_repeats_a_case_is_what_has_come_in(self):
        """Repeat 1 of case 2 is not in yet; when all is in, its absence is a gap."""
        rows = [row(0, "a", 1, 1.0), row(1, "a", 1, 0.0, 1), row(2, "a", 2, 1.0)]
        self.assertEqual(case_scores(table(rows, complete=False), "a"), {"1": 0.5, "2": 1.0})
        self.assertEqual(case_scores(table(rows), "a"), {"1": 0.5})

    def test_a_worked_example_counts_for_no_arm_but_is_paid_for(self):
        made = two_arms(examples=["1", "3"])
        self.assertEqual(arm_figures(made)["b"].n_cases, 38)
        self.assertEqual(counts_of(made)["b"].n, 40)
        self.assertEqual(counts_of(made)["b"].cost, 4000)
        self.assertNotIn("3", differences(made, "a", "b"))
        self.assertEqual(merits(made)[1].n, 38)

    def test_an_arm_without_an_output_and_one_out_of_the_race(self):
        made = two_arms(dropped=["a"])
        third = table([row(0, "a", 1, 1.0)], arms=("a", "b"))
        self.assertIsNone(arm_figures(third)["b"].mean)
        self.assertEqual(thresholds(third, "total", {"at_least": 0.5}, "b")[0].state, "unsure")
        self.assertEqual(credible(made), ["b"])
        self.assertEqual(all_at_once(made, "a"), {})
        self.assertIsNone(compared(third, against="b"))
        nothing = table([])
        self.assertIsNone(compared(nothing))
        self.assertEqual(counts_of(nothing)["a"].n, 0)
        self.assertEqual([m.n for m in merits(nothing)], [0, 0])

    def test_missing_scores_counted_as_zero(self):
        """By hand: a misses case 2 of 4, so it has 3 of 4 in place of 3 of 3."""
        rows = [row(k, "a", k, None if k == 2 else 1.0) for k in range(4)]
        rows += [row(10 + k, "b", k, 0.5) for k in range(4)]
        self.assertAlmostEqual(scored_as_zero(table(rows), "a", "b").difference, 0.25)
        self.assertIsNone(scored_as_zero(two_arms(), "a", "b"))

    def test_counts_of_what_went_wrong(self):
        kinds = ["answered", "cut", "declined", "empty", "failed", "failed"]
        scores = [1.0, 0.0, 0.0, 0.0, None, None]
        rows = [row(i, "a", i, s, outcome=k) for i, (k, s) in enumerate(zip(kinds, scores, strict=True))]  # fmt: skip
        found = counts_of(table(rows))["a"]
        self.assertEqual((found.cut, found.declined, found.empty, found.failed), (1, 1, 1, 2))
        self.assertEqual(found.failures, {"timeout": 2})
        self.assertEqual((found.cost, found.cost_per_1000, found.n_missing), (400, 100_000, 2))

    def test_figures_of_merit_and_gates_by_hand(self):
        """Two of four are good at 100 each: 200 a good one; three of four pass the gate."""
        rows = [row(k, "a", k, float(k < 2), ungated=1.0) for k in range(4)]
        gate = np.array([1.0, 1.0, 1.0, 0.0])
        made = table(rows, by_measure=lambda keys: {"valid-json": gate, "normalised-match": gate})
        found = merits(made)[0]
        self.assertEqual((found.n_good, found.cost_per_good.value), (2, 200.0))
        self.assertEqual((found.gates, found.ungated), ([("valid-json", 0.75)], 1.0))

    def test_values_by_case_leave_out_a_case_with_a_gap(self):
        rows = [row(0, "a", 1, 1.0), row(1, "a", 1, None, 1, "failed"), row(2, "a", 2, 0.5)]
        found = values_by_case(table(rows), "a")
        self.assertEqual((found["score"], found["cost"]), ({"2": 0.5}, {"2": 100.0}))

    def test_measures_are_read_when_one_is_asked_for_and_figures_once(self):
        asked = []

        def late(keys):
            asked.append(len(keys))
            return {"valid-json": np.ones(len(keys)), "normalised-match": np.ones(len(keys))}

        made = table([row(0, "a", 1, 1.0), row(1, "a", 2, 1.0)], by_measure=late)
        arm_figures(made)
        self.assertEqual(asked, [])
        self.assertIs(matrix(made, "valid-json"), matrix(made, "valid-json"))
        self.assertEqual(asked, [2])

    def test_labels_of_json_answers_and_of_none(self):
        wanted = ['{"kind": "sail"}', '{"kind": "oar"}'] * 5
        said = ['{"kind": "sail"}', '{"kind": "sail"}'] * 5
        rows = [LabelRow(s, "answered", w, str(i)) for i, (s, w) in enumerate(zip(said, wanted, strict=True))]  # fmt: skip
        found = labels_of([*rows, LabelRow("no idea", "declined", wanted[0], "99")], None)
        self.assertEqual((found.field, found.given[-1]), ("kind", None))
        oar, sail = found.found.rows.index("oar"), found.found.rows.index("sail")
        self.assertEqual(found.cells[oar, sail], [1, 3, 5, 7, 9])


if __name__ == "__main__":
    unittest.main()
