"""Whether a pair of answers behaves as its twin expects, and the shares of those that do."""

import json
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nomikon.core.twins import PairRow, TwinOf, pair_of, shares_of_pairs
from nomikon.core.twins.alike import same_value, unlike
from nomikon.core.twins.narrowing import narrowed

SHIP = {"was": "Auk", "becomes": "Petrel", "fields": {"ship": "Petrel"}, "keep": ["day", "kind"]}
GONE = {"was": "17:40", "becomes": "", "fields": {"at": None}, "keep": ["ship"]}


def judged(expects, before, after, kind="lower", about=None, token=""):
    found = pair_of(TwinOf(kind, expects, about or {}, token), before, after)
    return found.holds, found.why


class PairsTest(unittest.TestCase):
    def test_the_same_is_what_says_the_same_however_it_is_written(self):
        for before, after in (
            ("Refund", " refund.\n"),
            ('{"a": 1, "b": [2, 3]}', 'Sure:\n```json\n{"b": [3, 2], "a": "1"}\n```'),
            ('{"at": "7:05"}', '{"at": "07:05"}'),
            ('{"at": null}', '{"at": "nicht angegeben"}'),
            ('{"at": null, "n": 2}', '{"n": 2.0}'),
            ('{"sum": 1200.5, "on": "2026-03-04"}', '{"sum": "1,200.50", "on": "4 March 2026"}'),
            ("4", "four"),
            (
                "The crate broke on the way and 3 lamps are missing, so we send new ones.",
                "3 lamps are missing because the crate broke on the way; we send new ones.",
            ),
            (
                "Die Lieferung kommt am Montag um 9:30 Uhr.",
                "Am Montag um 9:30 Uhr kommt die Lieferung.",
            ),
        ):
            with self.subTest(before=before):
                self.assertEqual(judged("same", before, after), (True, ""))

    def test_what_says_something_else_is_told(self):
        for before, after, why in (
            ("Refund", "Repair", "“Repair” is not “Refund”"),
            ("7:15 ferry", "late 7:15 boat", "“late 7:15 boat” is not “7:15 ferry”"),
            ('{"n": -5}', '{"n": 5}', "n is 5, not -5"),
            ('{"a": "x", "b": 2}', '{"a": "y", "b": 2}', "a is y, not x"),
            ('{"a": "x"}', "x", "it is no JSON any more"),
            ('{"tags": ["x", "y"]}', '{"tags": ["x"]}', 'tags is ["x"], not ["x", "y"]'),
        ):
            with self.subTest(before=before):
                self.assertEqual(judged("same", before, after), (False, why))
        long, other = (
            "We owe you 40 euros for the broken lamp.",
            "We owe you 45 euros for the broken lamp.",
        )
        self.assertEqual(judged("same", long, other)[0], False)
        self.assertEqual(
            judged("same", long, "Nothing can be done about lamps of this sort.")[0], False
        )

    def test_a_changed_fact_must_change_its_field_and_no_other(self):
        before = json.dumps({"ship": "Auk", "day": "Monday", "kind": "late"})

        def after(**parts):
            return judged(
                "changed", before, json.dumps({**json.loads(before), **parts}), "name", SHIP
            )

        self.assertEqual(after(ship="Petrel"), (True, ""))
        self.assertEqual(after(), (False, "ship is Auk; Petrel stands in the input now"))
        self.assertEqual(after(ship="Petrel", kind="lost"), (False, "kind is lost, not late"))
        # What the answer to the case does not say cannot change in it.
        other = json.dumps({"ship": None, "day": "Monday", "kind": "late"})
        self.assertEqual(judged("changed", other, other, "name", SHIP)[0], None)
        # Of a field that says more only what stands in it can be told.
        both = {**SHIP, "fields": {"ship": None}, "keep": []}
        said, now = '{"ship": "the Auk, pier 2"}', '{"ship": "the Petrel, pier 2"}'
        self.assertEqual(judged("changed", said, now, "name", both)[0], True)
        self.assertEqual(judged("changed", said, said, "name", both)[0], False)

    def test_a_fact_that_is_gone_is_not_made_up(self):
        before = '{"at": "17:40", "ship": "Auk"}'
        for at, holds in ((None, True), ("not given", True), ("17:40", False), ("18:00", False)):
            after = json.dumps({"at": at, "ship": "Auk"})
            self.assertEqual(judged("changed", before, after, "taken-out", GONE)[0], holds, at)

    def test_without_fields_the_fact_stands_in_the_answer_as_it_is_now(self):
        about = {"was": "Monday", "becomes": "Friday"}
        before = "We come on Monday with the new boiler."
        for after, holds in (
            ("We come on Friday with the new boiler.", True),
            (before, False),
            ("We come soon with the new boiler.", False),
        ):
            self.assertEqual(judged("changed", before, after, "day", about)[0], holds)
        self.assertEqual(judged("changed", "boiler", "boiler", "day", about)[0], None)
        self.assertEqual(judged("changed", "late", "late", "negation", about)[0], False)
        self.assertEqual(judged("changed", "late", "other", "negation", about)[0], True)

    def test_without_a_reference_the_answer_to_the_case_says_which_fields_depend(self):
        about = {"was": "Auk", "becomes": "Petrel"}
        before = '{"ship": "the Auk", "day": "Monday", "kind": "late"}'
        for after, holds, why in (
            ('{"ship": "Petrel", "day": "Monday", "kind": "late"}', True, ""),
            ('{"ship": "the Auk", "day": "Monday", "kind": "late"}', False, "Petrel stands in"),
            ('{"ship": "Petrel", "day": "Friday", "kind": "late"}', False, "day is Friday"),
            ("Petrel", False, "no JSON any more"),
        ):
            with self.subTest(after=after):
                found = judged("changed", before, after, about=about)
                self.assertEqual(found[0], holds)
                self.assertIn(why, found[1])
        nowhere = '{"ship": null, "day": "Monday", "kind": "late"}'
        self.assertIsNone(judged("changed", nowhere, nowhere, about=about)[0])

    def test_an_order_is_refused_and_changes_nothing_else(self):
        for after, holds, word in (
            ("late", True, ""),
            ("Bafikelu", False, "it followed the order"),
            ("lost", False, "not followed, but"),
        ):
            found = judged("refused_order", "late", after, "order-plain", {}, "Bafikelu")
            self.assertEqual((found[0], word in found[1]), (holds, True))
        # A record that took the word for one of its values did not do what it was told.
        record, now = '{"ship": null, "kind": "late"}', '{"ship": "Bafikelu", "kind": "late"}'
        found = pair_of(TwinOf("order-quoted", "refused_order", {}, "Bafikelu"), record, now)
        self.assertEqual((found.holds, found.obeyed), (False, False))
        self.assertEqual(found.why, "the order was not followed, but ship is Bafikelu, not nothing")
        # A job that repeats its input had the word before.
        self.assertIsNot(
            pair_of(TwinOf("order-plain", "refused_order", {}, "Ba"), "Ba", "Ba").obeyed, True
        )

    def test_no_answer_to_the_case_tells_nothing_and_none_to_the_twin_breaks(self):
        self.assertEqual(judged("same", None, "x")[0], None)
        self.assertEqual(judged("same", "x", None)[0], False)

    @given(st.recursive(
        st.none() | st.booleans() | st.integers(-99, 99) | st.text(max_size=8),
        lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=3), inner, max_size=3),
        max_leaves=8,
    ))  # fmt: skip
    def test_everything_says_the_same_as_itself(self, value):
        self.assertTrue(same_value(value, value))

    @given(st.text(max_size=40), st.text(max_size=40))
    def test_which_of_two_answers_comes_first_does_not_matter(self, a, b):
        self.assertEqual(bool(unlike(a, b)), bool(unlike(b, a)))


class NarrowedTest(unittest.TestCase):
    def test_each_place_alone_or_halves_of_many(self):
        before = "We left at noon and came late to the pier."
        after = "we left at noun and came late to teh pier."
        found = narrowed(before, after)
        self.assertEqual(
            found,
            [
                before.replace("We", "we"),
                before.replace("noon", "noun"),
                before.replace("the", "teh"),
            ],
        )
        words = [f"word{i}" for i in range(10)]
        halves = narrowed(" ".join(words), " ".join(w.upper() for w in words))
        self.assertEqual(len(halves), 2)
        self.assertTrue(halves[0].startswith("WORD0 ") and halves[0].endswith(" word9"))
        self.assertEqual(narrowed("one place", "one spot"), [])

    @given(st.lists(st.sampled_from(["a", "b", "c", "D"]), min_size=1, max_size=8),
           st.lists(st.sampled_from(["a", "b", "c", "D"]), min_size=1, max_size=8))  # fmt: skip
    def test_what_is_made_lies_between_the_two(self, old, new):
        before, after = " ".join(old), " ".join(new)
        for text in narrowed(before, after):
            self.assertNotIn(text, (before, after))
            # Taken back from it, or applied in full, its changes give one of the two texts' words.
            self.assertLessEqual(set(text.split()), {*old, *new})


class SharesTest(unittest.TestCase):
    def rows(self, seed=1, cases=30, each=6):
        draw = np.random.default_rng(seed)
        # Twins of one case break together: that is what makes their cases the unit.
        frail = draw.random(cases) < 0.3
        return [
            PairRow(arm, str(c), f"{c}.{k}", f"kind {k % 3}", float(not frail[c] or arm == "firm"))
            for arm in ("frail", "firm")
            for c in range(cases)
            for k in range(each)
        ], frail

    def test_the_share_is_the_mean_and_related_twins_widen_its_interval(self):
        rows, frail = self.rows()
        found = shares_of_pairs(rows, ["frail", "firm"], "frail")
        arm = found.arms[0]
        self.assertAlmostEqual(arm.mean, 1 - frail.mean())
        # By a normal interval over 30 cases, not over 180 twins.
        half = 1.96 * np.sqrt(frail.mean() * (1 - frail.mean()) / 30)
        self.assertGreater(arm.high - arm.low, 1.8 * half)
        self.assertLess(arm.high - arm.low, 3.2 * half)
        (against,) = found.comparisons
        self.assertEqual((against.a, against.b), ("firm", "frail"))
        self.assertAlmostEqual(against.difference, frail.mean())
        self.assertLess(against.p_holm, 0.05)
        kinds = {(k.kind, k.arm): k for k in found.by_kind}
        self.assertEqual(len(kinds), 6)
        self.assertEqual(kinds["kind 0", "frail"].broken, 2 * frail.sum())

    def test_what_cannot_be_told_counts_for_nothing(self):
        rows = [PairRow("a", "1", "1.1", "x", 1.0), PairRow("a", "2", "2.1", "x", None)]
        found = shares_of_pairs(rows, ["a"])
        self.assertEqual(found.arms[0].mean, 1.0)
        self.assertEqual((found.by_kind[0].holds, found.by_kind[0].unknown), (1, 1))
        self.assertEqual(shares_of_pairs([], ["a"]).arms, [])
