"""Which answers are looked at and in what order, and what differs between two of them."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.core.errors import PlanError
from nomikon.core.results.differing import differing
from nomikon.core.results.selecting import ORDERS, Wanted, select
from tests.core.test_results import row, table

DATASET = {str(k): k for k in range(6)}


def small(complete=False):
    """Case 0 alike, 1 far apart, 2 a little apart, 3 with one cut, 4 of arm a alone, 5 without."""
    return table(
        [
            row(1, "a", 0, 1.0),
            row(2, "a", 1, 1.0),
            row(3, "a", 2, 0.5, repeat=0),
            row(4, "a", 2, 0.7, repeat=1),
            row(5, "a", 3, 0.0, outcome="cut"),
            row(6, "a", 4, 0.2),
            row(7, "b", 0, 1.0),
            row(8, "b", 1, 0.0),
            row(9, "b", 2, 0.5),
            row(10, "b", 3, None, outcome="failed"),
        ],
        complete=complete,
    )


class SelectingTest(unittest.TestCase):
    def cases(self, **wanted):
        return list(select(small(), Wanted(**wanted), DATASET).cases)

    def test_nothing_asked_is_every_case_those_without_an_answer_too(self):
        self.assertEqual(self.cases(), list("012345"))
        self.assertEqual(self.cases(turned=True), list("543210"))

    def test_what_is_asked_of_an_output(self):
        self.assertEqual(self.cases(outcome="cut"), ["3"])
        self.assertEqual(self.cases(outcome="no answer"), ["3"])
        self.assertEqual(self.cases(outcome="no answer", arms=("b",)), ["3"])
        self.assertEqual(self.cases(outcome="cut", arms=("b",)), [])
        self.assertEqual(self.cases(low=0.2, high=0.5), ["2", "4"])
        # Of one output, not of several together: b's 0 on case 1 is no answer's 0 of a.
        self.assertEqual(self.cases(high=0.0), ["1", "3"])
        self.assertEqual(self.cases(high=0.0, outcome="answered"), ["1"])
        self.assertEqual(self.cases(repeat=1), ["2"])
        self.assertEqual(self.cases(keys={2, 9}), ["1", "2"])
        self.assertEqual(self.cases(cases={"5", "1"}), ["1", "5"])

    def test_where_arms_or_repeats_part(self):
        self.assertEqual(self.cases(differ=True), ["1", "2"])
        # Case 3 has no score of b, case 4 no answer.
        self.assertEqual(self.cases(alike=True), ["0"])
        self.assertEqual(self.cases(repeats_differ=True), ["2"])
        self.assertEqual(self.cases(repeats_differ=True, arms=("b",)), [])
        found = select(small(), Wanted(high=0.0), DATASET)
        self.assertEqual((found.outputs, found.differing), (2, 2))

    def test_orders_with_what_has_no_figure_last(self):
        self.assertEqual(self.cases(order="differ")[:2], ["1", "2"])
        self.assertEqual(self.cases(order="worst"), ["3", "4", "1", "2", "0", "5"])
        self.assertEqual(self.cases(order="best"), ["0", "2", "1", "4", "3", "5"])
        self.assertEqual(self.cases(order="worst", turned=True), ["0", "2", "1", "4", "3", "5"])
        self.assertEqual(self.cases(order="repeats")[0], "2")
        self.assertEqual(self.cases(order="arrival"), list("012345"))

    def test_what_there_is_not(self):
        for wrong in ({"arms": ("z",)}, {"measure": "z"}, {"outcome": "z"}, {"order": "z"}):
            with self.assertRaises(PlanError) as caught:
                self.cases(**wrong)
            self.assertEqual(caught.exception.field, next(iter(wrong)))

    @settings(max_examples=40, deadline=None, derandomize=True)
    @given(
        st.lists(
            st.tuples(
                st.sampled_from("ab"), st.integers(0, 5), st.sampled_from([0.0, 0.5, 1.0, None])
            ),
            max_size=12,
            unique_by=lambda t: t[:2],
        ),
        st.sampled_from(ORDERS),
    )
    def test_an_order_loses_nothing_and_turned_it_keeps_what_has_no_figure_last(
        self, given_, order
    ):
        made = table([row(i, a, c, s) for i, (a, c, s) in enumerate(given_)], complete=False)
        there = select(made, Wanted(order=order), DATASET).cases
        back = select(made, Wanted(order=order, turned=True), DATASET).cases
        self.assertEqual(sorted(there), sorted(DATASET))
        self.assertEqual(sorted(back), sorted(DATASET))


class DifferingTest(unittest.TestCase):
    def parts(self, before, after):
        found = differing(before, after)
        return found.how, [(p.name, p.kind) for p in found.parts if p.kind != "same"]

    def test_json_by_keys_whatever_its_layout(self):
        a = '{"kind": "delay", "who": {"name": "Ann", "age": 3}, "tags": ["x", "y"]}'
        b = '```json\n{"who": {"age": 3, "name": "Bo"},\n "kind": "delay", "tags": ["x"], "n": null}\n```'
        self.assertEqual(
            self.parts(a, b), ("keys", [("who.name", "changed"), ("tags[2]", "gone"), ("n", "new")])
        )
        self.assertTrue(differing(a, a.replace(" ", "")).same)

    def test_tables_by_rows(self):
        a = "name,n\nann,1\nbo,2\ncy,3"
        self.assertEqual(self.parts(a, "name,n\nann,1\nbo,5\ncy,3"), ("rows", [("3", "changed")]))
        bars = "| name | n |\n|---|---|\n| ann | 1 |\n| cy | 3 |"
        self.assertEqual(self.parts(a, bars), ("rows", [("3", "gone")]))
        # Sentences with a comma each are no table of two columns everywhere.
        text = differing("Well, it is late.\nYes.", "Well, it is early.\nYes.")
        self.assertEqual(text.how, "words")

    def test_texts_by_words_and_long_ones_by_lines(self):
        found = differing("It is late, sorry.", "It is very late.")
        self.assertEqual(
            [(w.kind, w.text) for w in found.words if w.kind != "same"],
            [("new", "very "), ("gone", ", sorry")],
        )
        long = "\n".join(f"line {i} of a long text" for i in range(3000))
        found = differing(long, long.replace("line 7 of", "line seven of"))
        self.assertEqual(
            (found.how, [p.name for p in found.parts if p.kind == "changed"]), ("lines", ["8"])
        )
        self.assertFalse(found.same)

    @settings(max_examples=60, deadline=None, derandomize=True)
    @given(st.text(max_size=60), st.text(max_size=60))
    def test_nothing_is_lost_of_either_text(self, before, after):
        found = differing(before, after)
        if found.how == "words":
            kept = [(w.kind, w.text) for w in found.words]
            self.assertEqual("".join(t for k, t in kept if k != "new"), before)
            self.assertEqual("".join(t for k, t in kept if k != "gone"), after)
        self.assertTrue(differing(before, before).same)


if __name__ == "__main__":
    unittest.main()
