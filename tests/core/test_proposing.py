"""Cases that a model proposes: what it is asked, what of its reply is taken, what they cover."""

import json
import unittest

from nomikon.core.cases.proposing import (
    Dimension,
    case_inputs,
    check_dimensions,
    coverage,
    read_proposals,
)
from nomikon.core.consulting import ROLES
from nomikon.core.errors import TableError
from nomikon.core.prompts.rendering import render_step

MOOD = Dimension("mood", ("calm", "angry"))
LENGTH = Dimension("length", ("short", "long"))


def reply(*rows):
    return json.dumps({"cases": list(rows)})


class AskedTest(unittest.TestCase):
    def test_everything_named_reaches_the_model_and_braces_in_cases_stay_text(self):
        inputs = case_inputs(
            job="Sort a letter.",
            how_many=7,
            columns=["letter", "sender"],
            dimensions=[MOOD],
            hard=["two matters in one", " "],
            examples=[({"letter": "Dear {{x}}"}, "thanks")],
        )
        asked = "\n".join(
            m.content for m in render_step(ROLES["cases"].messages(), None, inputs, {})
        )
        for words in (
            "7 new cases",
            '"letter", "sender"',
            "mood: calm, angry",
            "- two matters in one",
            "Dear {{x}}",
            "Sort a letter.",
        ):
            with self.subTest(words=words):
                self.assertIn(words, asked)

    def test_dimensions_are_checked_with_their_place(self):
        for rows, field in (
            ([{"name": "", "values": ["a", "b"]}], "dimensions.0.name"),
            ([{"name": "a: b", "values": ["a", "b"]}], "dimensions.0.name"),
            ([{"name": "x", "values": ["a", "a "]}], "dimensions.0.values"),
            ([{"name": "x", "values": ["a;b", "c"]}], "dimensions.0.values"),
            (
                [{"name": "x", "values": ["a", "b"]}, {"name": "X", "values": ["a", "b"]}],
                "dimensions.1.name",
            ),
        ):
            with self.subTest(rows=rows), self.assertRaises(TableError) as caught:
                check_dimensions(rows)
            self.assertEqual(caught.exception.field, field)


class ReadTest(unittest.TestCase):
    def read(self, text, existing=()):
        return read_proposals(
            text, columns=["letter"], dimensions=[MOOD, LENGTH], existing=list(existing)
        )

    def test_good_items_are_kept_and_the_others_named(self):
        found = self.read(
            reply(
                {
                    "inputs": {"letter": "Where is my hat?", "extra": "x"},
                    "reference": {"kind": "lost"},
                    "dimensions": {"Mood": "ANGRY", "length": "endless"},
                },
                "no object",
                {"inputs": {"letter": "  "}},
                {"letter": "A bare one."},
            )
        )
        self.assertEqual(
            [c.values["letter"] for c in found.cases], ["Where is my hat?", "A bare one."]
        )
        self.assertEqual(found.cases[0].reference, '{"kind": "lost"}')
        # A value nobody named would look like coverage.
        self.assertEqual(found.cases[0].tags, ("mood: angry",))
        self.assertEqual([place for place, _ in found.refused], [2, 3])

    def test_near_copies_of_cases_and_of_each_other_are_told(self):
        text = "My umbrella was left behind on the evening boat, please look for it."
        found = self.read(
            reply({"letter": text}, {"letter": text + "!"}, {"letter": "Is there tea on board?"}),
            existing=[{"letter": "Other words altogether."}, {"letter": "Is there tea on board"}],
        )
        self.assertEqual([c.near for c in found.cases], [None, None, 1])
        self.assertEqual([c.near_proposal for c in found.cases], [None, 0, None])
        self.assertEqual(found.cases[2].likeness, 1.0)

    def test_a_reply_that_is_no_list_is_refused_with_the_reason(self):
        for text in ("Here you are:", "{}", '{"cases": []}', "[" * 20_000, '[{"letter": NaN}]'):
            with self.subTest(text=text[:15]), self.assertRaises(TableError):
                self.read(text)
        self.assertEqual(len(self.read(f"```json\n{reply({'letter': 'x'})}\n```").cases), 1)


class CoverageTest(unittest.TestCase):
    def test_values_and_pairs_of_values_are_counted(self):
        """By hand: three cases show calm twice; of the four pairs two occur."""
        found = coverage(
            [MOOD, LENGTH],
            [
                ["mood: calm", "length: short"],
                ["mood: calm"],
                ["mood: angry", "length: short", "x"],
            ],
        )
        self.assertEqual(
            found.counts, {"mood": {"calm": 2, "angry": 1}, "length": {"short": 2, "long": 0}}
        )
        self.assertEqual((found.pairs, found.pairs_possible), (2, 4))
