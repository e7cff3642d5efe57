"""What a judge is shown: what the prompt showed, and what the rubric names."""

import unittest

from nomikon.core.measures.base import Answer
from nomikon.core.measures.judging import seen_inputs

INPUTS = {"mail": "My coat is lost.", "desk": "internal note", "tone": "calm"}


class SeenInputsTest(unittest.TestCase):
    def test_shown_named_and_unknown(self):
        for shown, said, wanted in (
            (None, "", ["mail", "desk", "tone"]),
            ({"mail"}, "Is it kind?", ["mail"]),
            ({"mail"}, "Does it keep to the tone?", ["mail", "tone"]),
            # A part of another word names nothing.
            ({"mail"}, "Is it a desktop matter, atonement aside?", ["mail"]),
            (set(), "Is it kind?", []),
        ):
            with self.subTest(said=said):
                found = seen_inputs(Answer("yes", None, INPUTS, shown=shown), said)
                self.assertEqual(list(found), wanted)
