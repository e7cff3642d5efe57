"""The quick look at an answer's form: what the prompt asks is what is checked."""

import unittest

from nomikon.core.measures.asked_form import check_form
from nomikon.core.prompts import Message


def told(prompt, answer, *more):
    found = check_form([Message("system", prompt), *more], answer)
    return [(c.what, c.ok, c.why) for c in found]


class AskedFormTest(unittest.TestCase):
    def test_json_with_the_keys_that_are_named(self):
        ask = "Reply with one JSON object with the keys place, time and nothing else."
        self.assertEqual(
            told(ask, '{"place": 1, "time": null}'), [("JSON with place, time", True, "")]
        )
        self.assertIn("time", told(ask, '{"place": 1, "mood": 2}')[0][2])
        self.assertEqual(told(ask, "Sure! {}")[0][1], False)
        self.assertEqual(told("Answer in prose, not JSON.", "Yes."), [])

    def test_a_label_of_the_list_alone(self):
        ask = "Answer with one of these labels: late, lost, other."
        self.assertEqual(told(ask, "Lost."), [("one of late, lost, other", True, "")])
        self.assertEqual(told(ask, "It is lost")[0][1], False)

    def test_limits_of_the_whole_and_not_of_a_part(self):
        self.assertEqual(
            told("Write at most 3 words.", "a b c d"),
            [("at most 3 words", False, "4 words, at most 3 allowed")],
        )
        self.assertEqual(told("Write exactly two sentences.", "It sails. It waits.")[0][1], True)
        # Of a part nothing is said of the whole, and where there is no part it fails.
        ask = "Write a list, each item at most 3 words."
        self.assertEqual([c[1] for c in told(ask, "- a b c\n- d e f g")], [False])
        self.assertEqual([c[1] for c in told(ask, "- a b c\n- d e f")], [True])
        self.assertEqual(told("Schreibe höchstens drei Wörter.", "a b c d")[0][1], False)

    def test_of_several_steps_the_last_one_counts(self):
        first = Message("user", "Outline it in JSON with the keys a, b.", "outline")
        last = Message("user", "Write at most 5 words on {{steps.outline}}", "text")
        self.assertEqual(
            [c[0] for c in told("Be calm.", "One two.", first, last)], ["at most 5 words"]
        )
