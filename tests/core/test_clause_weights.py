"""What a clause is worth: which can be left out, the design, the weights, the pairs."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nomikon.core.errors import AmendmentError, CannotCompareError
from nomikon.core.prompts import Message, clauses_of, placeholder_names
from nomikon.core.prompts.leaving_out import (
    CUE,
    FORM,
    INPUT,
    KEPT,
    TRAVELS,
    leave_out,
    what_can_go,
)
from nomikon.core.stats.clause_weights import (
    EARNS,
    HURTS,
    NOTHING,
    REDUNDANT,
    TOGETHER,
    UNSURE,
    clause_weights,
)
from nomikon.core.stats.screening import mean_variance, screening_rows

SYSTEM = """\
# Task
You sort letters.
Reply with one JSON object with the key kind.
kind is one of:
- bill: it asks for money.
- other: anything else.

## Manner
Be brief."""


class LeavingOutTest(unittest.TestCase):
    def setUp(self):
        self.messages = (
            Message("system", SYSTEM),
            Message("user", "Letter: pay now"),
            Message("assistant", '{"kind": "bill"}'),
            Message("user", "Letter:\n<letter>\n{{letter}}\n</letter>\n\nThe kind is:"),
        )

    def test_what_stays_says_why_and_examples_go_as_one(self):
        found = what_can_go(self.messages)
        # 1 # Task, 2 sort, 3 JSON, 4 one of, 5 bill, 6 other, 7 ## Manner, 8 brief,
        # 9 and 10 the example, then the letter and the cue.
        self.assertEqual(found.free, [(2,), (5,), (6,), (8,), (9, 10)])
        self.assertEqual(found.locked[3], FORM)
        self.assertEqual([found.locked[n] for n in (1, 4, 7)], [TRAVELS] * 3)
        self.assertIn(INPUT, found.locked.values())
        self.assertEqual(found.locked[max(found.locked)], CUE)

    def test_what_fixes_the_form_stays_in_every_language(self):
        for text, stay, free in (
            (
                "Ordne die Mail ein. Antworte nur mit einem davon: Hafen, Bord. Sei gründlich.\n\n{{m}}",
                2,
                3,
            ),
            (
                "Classe le message. Réponds uniquement par : port ou bord. Sois attentif.\n\n{{m}}",
                2,
                3,
            ),
            (
                "Clasifica el aviso. Responde solo con una palabra: puerto, bordo. Sé cuidadoso.\n\n{{m}}",
                2,
                3,
            ),
        ):
            with self.subTest(text=text):
                found = what_can_go([Message("user", text)])
                self.assertEqual(found.locked.get(stay), FORM)
                self.assertIn((free,), found.free)

    def test_borders_of_an_input_stay(self):
        found = what_can_go((Message("user", "Sort it.\n\n<<<\n\n{{letter}}\n\n>>>"),))
        self.assertEqual(found.free, [(1,)])
        # The marks belong to their input: they are one clause with it.
        self.assertEqual(found.locked, {2: INPUT})

    def test_a_heading_goes_with_the_last_of_its_items_only(self):
        without_one = leave_out(self.messages, [5])[0].content
        self.assertNotIn("bill:", without_one)
        self.assertIn("kind is one of:", without_one)
        without_both = leave_out(self.messages, [5, 6])[0].content
        self.assertNotIn("one of", without_both)
        self.assertIn("Reply with one JSON", without_both)
        self.assertNotIn("Manner", leave_out(self.messages, [8])[0].content)

    def test_an_example_takes_its_messages_with_it(self):
        self.assertEqual([m.role for m in leave_out(self.messages, [9, 10])], ["system", "user"])

    def test_what_a_person_keeps_and_what_is_no_clause(self):
        found = what_can_go(self.messages, keep=[8])
        self.assertNotIn((8,), found.free)
        self.assertEqual(found.locked[8], KEPT)
        with self.assertRaises(AmendmentError):
            what_can_go(self.messages, keep=[99])

    def test_what_stands_under_a_line_that_fixes_the_form_stays_with_it(self):
        text = "You sort.\nReply in JSON with these keys:\n- kind\n- why\nBe brief."
        found = what_can_go((Message("system", text), Message("user", "{{letter}}")))
        self.assertEqual(found.free, [(1,), (5,)])
        self.assertEqual([found.locked[n] for n in (2, 3, 4)], [FORM] * 3)

    def test_a_step_never_loses_all_of_its_clauses_together(self):
        messages = (
            Message("user", "Think of a plan.\nThink twice.", step="plan"),
            Message("user", "Follow {{steps.plan}} for {{job}}.\nBe kind.", step="do"),
        )
        found = what_can_go(messages)
        self.assertEqual(found.free, [(2,), (4,)])
        self.assertEqual(len(leave_out(messages, [2, 4])), 2)

    def test_the_only_text_of_a_step_stays(self):
        found = what_can_go(
            (
                Message("user", "Think of a plan.", step="plan"),
                Message("user", "Follow {{steps.plan}} for {{job}}.\nBe kind.", step="do"),
            )
        )
        self.assertEqual(found.free, [(3,)])
        self.assertIn(1, found.locked)


class LeavingOutLaws(unittest.TestCase):
    """Whatever is left out, the text stays a prompt that brings its inputs in."""

    LINES = (
        "Be brief.",
        "- one: the first kind.",
        "- two: the second.",
        "# Manner",
        "Use these kinds:",
        "Reply in JSON with the key kind.",
        "Say why, in a sentence.",
        "",
    )

    @given(st.data())
    def test_any_free_clauses_can_go_together(self, data):
        lines = data.draw(st.lists(st.sampled_from(self.LINES), min_size=1, max_size=14))
        messages = (
            Message("system", "\n".join(["You sort.", *lines])),
            Message("user", "Sort it.\n\nLetter: {{letter}}"),
        )
        found = what_can_go(messages)
        numbers = [c.number for c in clauses_of(messages)]
        free = [n for group in found.free for n in group]
        # Every clause is free or stays with a reason, and none is both.
        self.assertEqual(sorted([*free, *found.locked]), numbers)
        chosen = data.draw(st.sets(st.sampled_from(found.free))) if found.free else set()
        gone = [n for group in chosen for n in group]
        after = leave_out(messages, gone)
        self.assertEqual(placeholder_names(after), placeholder_names(messages))
        texts = {c.number: c.text for c in clauses_of(messages)}
        left = "\n".join(m.content for m in after)
        for number, why in found.locked.items():
            if why != TRAVELS:
                self.assertIn(texts[number], left)
        if not gone:
            self.assertEqual(after, messages)


class ScreeningTest(unittest.TestCase):
    def test_at_most_a_quarter_is_out_and_weights_can_be_told_apart(self):
        for n in (1, 3, 4, 7, 8, 11, 12, 17, 40):
            rows = screening_rows(n, seed=3)
            self.assertEqual(rows[0], frozenset())
            self.assertLessEqual(max(map(len, rows)), max(1, n // 4))
            self.assertEqual(set().union(*rows), set(range(n)))
            out = np.array([[u in row for u in range(n)] for row in rows])
            self.assertTrue(np.isfinite(mean_variance(out)), n)
            self.assertEqual(rows, screening_rows(n, seed=3))

    def test_most_pairs_meet_where_rows_leave_out_three(self):
        rows = screening_rows(16)
        met = {(a, b) for row in rows for a in row for b in row if a < b}
        self.assertGreater(len(met), 0.85 * 16 * 15 / 2)

    def test_it_beats_one_at_a_time_call_by_call(self):
        rows = screening_rows(12)
        out = np.array([[u in row for u in range(12)] for row in rows])
        # One at a time a weight has variance 2 from 13 rows.
        self.assertLess(mean_variance(out) * len(rows), 0.4 * 2 * 13)


class WeightsTest(unittest.TestCase):
    def table(self, rows, weights, n_cases=80, noise=0.1, both=None, seed=1):
        rng = np.random.default_rng(seed)
        out = np.array([[u in row for u in range(len(weights))] for row in rows], dtype=float)
        means = 0.7 - out @ np.array(weights)
        if both is not None:
            (a, b), extra = both
            means = means - extra * out[:, a] * out[:, b]
        case = rng.normal(0, 0.05, (n_cases, 1))
        return np.clip(means + case + rng.normal(0, noise, (n_cases, len(rows))), 0, 1)

    def test_weights_are_those_of_least_squares_with_a_constant_for_every_case(self):
        rows = screening_rows(8)
        table = self.table(rows, [0.2, 0.1, 0, 0, 0, 0.05, -0.1, 0], n_cases=12)
        found = clause_weights(rows, table, 8, n_resamples=500)
        self.assertEqual(found.pairs, [])
        # The textbook way: one long table with a column for every case.
        n_cases, n_rows = table.shape
        long = np.zeros((n_cases * n_rows, 8 + n_cases))
        for c in range(n_cases):
            for r, row in enumerate(rows):
                long[c * n_rows + r, list(row)] = -1
                long[c * n_rows + r, 8 + c] = 1
        expected = np.linalg.lstsq(long, table.ravel(), rcond=None)[0][:8]
        np.testing.assert_allclose([w.weight for w in found.weights], expected, atol=1e-10)

    def test_what_earns_hurts_and_does_nothing(self):
        rows = screening_rows(8)
        table = self.table(rows, [0.2, 0.1, 0, 0, 0, 0, -0.1, 0])
        found = clause_weights(rows, table, 8, n_resamples=1000)
        verdicts = [w.verdict for w in found.weights]
        self.assertEqual(verdicts[:2], [EARNS, EARNS])
        self.assertEqual(verdicts[6], HURTS)
        self.assertEqual({verdicts[i] for i in (2, 3, 4, 5, 7)}, {NOTHING})
        for w, truth in zip(found.weights, [0.2, 0.1, 0, 0, 0, 0, -0.1, 0], strict=True):
            self.assertLess(w.low, truth + 0.03)
            self.assertGreater(w.high, truth - 0.03)

    def test_too_few_cases_cannot_tell(self):
        rows = screening_rows(8)
        found = clause_weights(rows, self.table(rows, [0] * 8, n_cases=3, noise=0.3), 8)
        self.assertEqual({w.verdict for w in found.weights}, {UNSURE})

    def test_two_that_say_the_same_and_two_that_need_each_other(self):
        rows = screening_rows(12)
        same = clause_weights(
            rows, self.table(rows, [0.1, *[0] * 11], both=((3, 9), 0.3)), 12, n_resamples=1000
        )
        self.assertEqual([p.kind for p in same.pairs], [REDUNDANT])
        self.assertIn((3, 9), same.pairs[0].candidates)
        self.assertLess(abs(same.weights[3].weight), 0.06)
        weights = [0.3, 0.3, *[0] * 10]
        need = clause_weights(
            rows, self.table(rows, weights, both=((0, 1), -0.3)), 12, n_resamples=1000
        )
        self.assertEqual([p.kind for p in need.pairs], [TOGETHER])
        self.assertIn((0, 1), need.pairs[0].candidates)

    def test_a_case_with_a_missing_score_is_left_out_of_all_rows(self):
        rows = screening_rows(4)
        table = self.table(rows, [0.2, 0, 0, 0], n_cases=20)
        whole = clause_weights(rows, table[5:], 4)
        table[:5, 2] = np.nan
        found = clause_weights(rows, table, 4)
        self.assertEqual((found.n_cases, found.n_dropped), (15, 5))
        self.assertEqual([w.weight for w in found.weights], [w.weight for w in whole.weights])

    def test_nothing_to_tell_by(self):
        rows = screening_rows(4)
        none = clause_weights(rows, np.full((3, 5), np.nan), 4)
        self.assertEqual(none.weights, [])
        self.assertIn("two are needed", none.why_null)
        same = clause_weights(rows, np.full((40, 5), 0.5), 4)
        self.assertEqual({w.p for w in same.weights}, {1.0})
        with self.assertRaises(CannotCompareError):
            clause_weights([frozenset(), frozenset([0, 1])], np.ones((9, 2)), 2)


if __name__ == "__main__":
    unittest.main()
