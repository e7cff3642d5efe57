"""The plan, the order of calls, the keys of answers, and answers that are none."""

import unittest
from collections import Counter
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.core.errors import PlanError
from nomikon.core.prompts import Message
from nomikon.core.trials import (
    STATES,
    Calibration,
    PlannedArm,
    PlannedCase,
    answer_key,
    case_order,
    cells_in_order,
    cost_nano,
    estimate,
    estimate_tokens,
    next_state,
    outcome_of,
    seed_for,
    stitch,
)
from nomikon.core.trials.states import TRANSITIONS, TrialStateError, diagram


def arm(text="Sort: {{message}}", **more):
    given_ = {
        "settings": {"max_tokens": 50},
        "price_in_nano": 400_000_000,
        "price_out_nano": 1_200_000_000,
    } | more
    return PlannedArm("a", "v1 on m", (Message("user", text),), **given_)


CASES = [PlannedCase(str(i), {"message": "late boat"}, '{"a": 1}') for i in range(5)]


class EstimateTest(unittest.TestCase):
    def test_counts(self):
        e = estimate([arm(), arm()], CASES, 3)
        self.assertEqual((e.outputs, e.calls), (30, 30))
        self.assertEqual(
            e.tokens_in, 2 * 3 * sum(estimate_tokens("Sort: late boat") + 4 for _ in CASES)
        )
        self.assertEqual(e.problems, [])

    @settings(max_examples=60, deadline=None, derandomize=True)
    @given(
        st.lists(
            st.sampled_from(["{{a}}", "{{b}}", "word ", "9", "\n", "é", "Long"]),
            min_size=1,
            max_size=12,
        ),
        st.lists(
            st.fixed_dictionaries(
                {}, optional={"a": st.text(max_size=9), "b": st.sampled_from([3, None])}
            ),
            min_size=1,
            max_size=4,
        ),
    )
    def test_counted_from_lengths_it_is_what_rendering_gives(self, parts, inputs):
        text = "".join(parts)
        cases = [PlannedCase(str(i), own) for i, own in enumerate(inputs)]
        quick = estimate([arm(text)], cases, 1)
        # A section that is never shown has every case rendered.
        whole = estimate([arm(text + "{{#never}}{{/never}}")], cases, 1)
        told = [sorted(p.text for p in e.problems) for e in (quick, whole)]
        self.assertEqual(*told)
        # Where a value meets a word, the two may be cut otherwise; a hole prints as it is written.
        holes = sum(
            text.count(f"{{{{{n}}}}}") for own in inputs for n in "ab" if own.get(n) is None
        )
        seams = 2 * text.count("{{") * len(cases) + 8 * holes
        self.assertLessEqual(abs(quick.tokens_in - whole.tokens_in), seams)

    def test_price_is_tokens_times_price_per_million(self):
        # 1,000 in at 0.40 and 500 out at 1.20 per million: 0.0004 + 0.0006 = 0.001.
        self.assertEqual(cost_nano(1000, 500, 400_000_000, 1_200_000_000), 1_000_000)
        self.assertIsNone(cost_nano(1000, 500, None, 1))

    def test_an_unpriced_arm_makes_the_price_unknown(self):
        e = estimate([arm(), arm(price_in_nano=None)], CASES, 1)
        self.assertIsNone(e.cost)
        self.assertEqual(e.unpriced, ["v1 on m"])

    def test_steps_are_calls(self):
        messages = (Message("user", "a", "one"), Message("user", "b {{steps.one}}", "two"))
        e = estimate([PlannedArm("a", "x", messages, {}, 1, 1)], CASES, 2)
        self.assertEqual((e.outputs, e.calls), (10, 20))

    def test_what_stands_in_the_way_is_told_before_a_call(self):
        missing = estimate([arm("{{message}} {{vessel}}")], CASES, 1).problems
        self.assertEqual([(p.severity, "vessel" in p.text) for p in missing], [("error", True)])
        long = estimate([arm("word " * 3000, context_length=2048)], CASES, 1).problems
        self.assertIn("context of 2048", long[0].text)
        broken = estimate([arm("{{message")], CASES, 1).problems
        self.assertIn("not closed", broken[0].text)

    def test_nothing_to_run_is_refused_with_its_field(self):
        for arms, cases, repeats, field in [
            ([], CASES, 1, "arms"),
            ([arm()], [], 1, "split"),
            ([arm()], CASES, 0, "repeats"),
            ([arm()], CASES, 101, "repeats"),
        ]:
            with self.subTest(field=field), self.assertRaises(PlanError) as caught:
                estimate(arms, cases, repeats)
            self.assertEqual(caught.exception.field, field)


class OrderTest(unittest.TestCase):
    @given(st.lists(st.sampled_from("abc"), min_size=1, max_size=60), st.integers(0, 5))
    def test_every_case_once_and_strata_spread_evenly(self, strata, seed):
        order = case_order(strata, seed=seed)
        self.assertEqual(sorted(order), list(range(len(strata))))
        self.assertEqual(order, case_order(strata, seed=seed))
        total = Counter(strata)
        half = Counter(strata[i] for i in order[: len(order) // 2])
        for name, n in total.items():
            # Half of the order holds half of each stratum, give or take one on either side.
            self.assertLessEqual(abs(half[name] - n / 2), len(total) + 0.5)

    def test_arms_fill_evenly_and_every_cell_comes_once(self):
        cells = list(cells_in_order([2, 0, 1], 4, 2))
        self.assertEqual(len({(c.arm, c.case, c.repeat) for c in cells}), 24)
        self.assertEqual(
            [(c.case, c.repeat, c.arm) for c in cells[:9:4]], [(2, 0, 0), (2, 1, 0), (0, 0, 0)]
        )


class KeyTest(unittest.TestCase):
    BASE = {"connection": "1:1", "protocol": "p", "body": {"model": "m", "seed": 0}, "repeat": 0}

    def test_all_that_decides_an_answer_changes_the_key(self):
        key = answer_key(**self.BASE)
        for change in (
            {"connection": "1:2"},
            {"protocol": "q"},
            {"repeat": 1},
            {"generation": 1},
            {"body": {"model": "m", "seed": 1}},
        ):
            self.assertNotEqual(key, answer_key(**{**self.BASE, **change}), change)

    def test_the_order_of_keys_in_the_body_does_not(self):
        self.assertEqual(
            answer_key(**self.BASE), answer_key(**{**self.BASE, "body": {"seed": 0, "model": "m"}})
        )

    def test_seed_sent(self):
        self.assertEqual(seed_for({}, 7, 2), 9)
        self.assertEqual(seed_for({"seed": 100}, 7, 2), 102)


class OutcomeTest(unittest.TestCase):
    def test_answers_that_are_none(self):
        for text, finish, kind in [
            ("Fine.", "stop", "answered"),
            ("", "stop", "empty"),
            (" \n", None, "empty"),
            ("Half an ans", "length", "cut"),
            ("I'm sorry, but I can't help with that.", "stop", "declined"),
            ("I cannot assist with this request.", "stop", "declined"),
            ("As an AI, I am unable to answer.", "stop", "declined"),
            ("x", "content_filter", "declined"),
            # A letter that says sorry, or cannot promise, is an answer.
            ("I'm sorry for the delay. We will look into it.", "stop", "answered"),
            ("We are sorry that you had to wait. I cannot promise money.", "stop", "answered"),
            ("I can help with that.", "stop", "answered"),
        ]:
            with self.subTest(text=text):
                self.assertEqual(outcome_of(text, finish).kind, kind)


class StitchTest(unittest.TestCase):
    def test_pieces_become_one_text(self):
        for first, more, whole in [
            ("The ferry to Holm is late", "ferry to Holm is late because of fog.",
             "The ferry to Holm is late because of fog."),
            ("The ferry to Ho", "The ferry to Holm is late.", "The ferry to Holm is late."),
            ("and the ferry to Ho", "the ferry to Holm is late.", "and the ferry to Holm is late."),
            ("The vessel is del", "delayed by an hour.", "The vessel is delayed by an hour."),
            ("The vessel is", "late.", "The vessel is late."),
            ("It is late.", "Please wait.", "It is late. Please wait."),
            ("It is late,\n", "please wait.", "It is late,\nplease wait."),
            ("one two three four", "three  four five", "one two three four five"),
            ("We go to the", "then the boat", "We go to the then the boat"),
            ('{"a": 1, "b"', ': 2}', '{"a": 1, "b": 2}'),
            ("", "all of it", "all of it"),
        ]:  # fmt: skip
            with self.subTest(first=first, more=more):
                self.assertEqual(stitch(first, more), whole)

    @given(st.lists(st.sampled_from("alpha beta gamma delta epsilon zeta".split()), min_size=8),
           st.data())  # fmt: skip
    def test_a_model_that_begins_with_its_last_words_loses_and_doubles_none(self, words, data):
        # Numbered, so that no stretch of words happens to come twice.
        words = [f"{w}{i}" for i, w in enumerate(words)]
        cut = data.draw(st.integers(4, len(words) - 1))
        first = " ".join(words[:cut])
        self.assertEqual(stitch(first, " ".join(words[cut - 4 :])), " ".join(words))


class CalibrationTest(unittest.TestCase):
    def test_it_learns_the_factor_and_owns_up_to_its_error(self):
        fresh = Calibration()
        self.assertEqual((fresh.factor, fresh.error, fresh.calibrated(100)), (1.0, None, 100))
        learnt = fresh.learn([(100, 130)] * 200)
        self.assertAlmostEqual(learnt.factor, 1.3)
        # By hand: five calls are missed by 30, the rest by nothing: 150 of 26,000.
        self.assertAlmostEqual(learnt.error, 150 / 26_000)

    def test_it_forgets_what_a_model_was_long_ago(self):
        old = Calibration().learn([(100, 100)] * 4000)
        new = old.learn([(100, 200)] * 20_000)
        self.assertGreater(new.factor, 1.95)


class StateTest(unittest.TestCase):
    def test_only_what_may_happen_happens(self):
        self.assertEqual(next_state("running", "budget spent or pause asked for"), "paused")
        with self.assertRaises(TrialStateError):
            next_state("complete", "stop asked for")

    def test_every_state_can_be_reached_and_left_for_another(self):
        self.assertEqual(set(TRANSITIONS.values()), set(STATES))
        self.assertEqual({a for a, _ in TRANSITIONS}, set(STATES))

    def test_the_documentation_shows_the_states_as_they_are(self):
        text = (Path(__file__).parents[2] / "docs/architecture.md").read_text(encoding="utf-8")
        self.assertIn(diagram(), text)
