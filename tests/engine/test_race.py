"""A race: when a look is due, who leaves, and what counts for nobody."""

import unittest
from dataclasses import replace

from nomikon.engine.race import Race
from tests.engine.test_coordinator import spec


def totals_of(race_spec, cases, by_arm):
    return {(a.key, c, n): by_arm(a.key, c) for a in race_spec.arms for c in cases
            for n in range(race_spec.repeats)}  # fmt: skip


class RaceTest(unittest.TestCase):
    def setUp(self):
        self.spec = replace(spec(2, 60), racing=2)
        self.good, self.poor = (a.key for a in self.spec.arms)

    def everything(self, cases):
        return [(a.key, c, 0) for a in self.spec.arms for c in cases]

    def test_a_look_is_due_when_a_sixth_of_the_cases_is_complete_for_all(self):
        race = Race(self.spec, ())
        order = race._order
        self.assertIsNone(race.came_in(self.everything(order[:9])))
        # The tenth case is complete only once both arms have answered it.
        self.assertIsNone(race.came_in([(self.good, order[9], 0)]))
        self.assertEqual(race.came_in([(self.poor, order[9], 0)]), order[:10])
        self.assertIsNone(race.came_in(self.everything(order[10:19])))

    def test_looks_passed_while_nobody_looked_are_one_look(self):
        race = Race(self.spec, ())
        self.assertEqual(race.came_in(self.everything(race._order[:35])), race._order[:30])

    def test_what_an_arm_shows_as_an_example_drops_nobody(self):
        cases = Race(self.spec, ())._order[:10]
        shown = frozenset(cases[:4])

        def by_arm(arm, case):
            # The arm that shows the cases is right on them, and on no other better than its rival.
            return 1.0 if arm == self.good and (case in shown or case in cases[:7]) else 0.0

        totals = totals_of(self.spec, cases, by_arm)
        # Seven cases won without a loss: one-sided p 2^-7 < 0.01. Three of them remain.
        self.assertEqual([g.arm for g in Race(self.spec, ()).look(cases, totals)], [self.poor])
        careful = Race(replace(self.spec, examples=shown), ())
        self.assertEqual(careful.look(cases, totals), [])
        self.assertEqual(careful.running, [self.good, self.poor])

    def test_a_case_with_a_missing_repeat_is_left_out_and_the_level_stays_that_of_the_start(self):
        cases = Race(self.spec, ())._order[:8]
        totals = totals_of(self.spec, cases, lambda arm, _: float(arm == self.good))
        # By hand: 8 wins, p = 2^-8; one missing leaves 7, p = 2^-7, still under 0.05 ÷ 5.
        (gone,) = Race(self.spec, ()).look(cases, totals)
        self.assertEqual((gone.cases, gone.against), (8, self.good))
        self.assertAlmostEqual(gone.p, 2**-8)
        totals[self.poor, cases[0], 0] = None
        (gone,) = Race(self.spec, ()).look(cases, totals)
        self.assertEqual(gone.cases, 7)
        totals[self.good, cases[1], 0] = None
        self.assertEqual(Race(self.spec, ()).look(cases, totals), [])
        # Three arms began: the level is 0.05 ÷ (5 × 2), though two are left.
        three = Race(replace(self.spec, racing=3), ())
        totals[self.good, cases[1], 0] = 1.0
        self.assertEqual(three.look(cases, totals), [])


if __name__ == "__main__":
    unittest.main()
