"""Cases that a prompt shows as worked examples are found; what merely sounds alike is not."""

import unittest

from nomikon.core.prompts import Message
from nomikon.core.prompts.used_cases import used_cases

PROMPT = (
    Message("system", "Sort letters. For example, “The boiler has\nburst again” is a complaint."),
    Message("user", "Letter: Could you move our booking to Friday?"),
    Message("assistant", "booking"),
    Message("user", "Letter: thanks"),
    Message("assistant", "other"),
    Message("user", "Letter: {{letter}}"),
)


class UsedCasesTest(unittest.TestCase):
    def used(self, *letters):
        return used_cases(PROMPT, {x: {"letter": x, "tone": "kind"} for x in letters})

    def test_a_turn_and_a_sentence_in_the_text_are_found_whatever_their_blanks(self):
        self.assertEqual(
            self.used("Could you move  our booking to friday?", "the boiler has burst again"),
            {"Could you move  our booking to friday?", "the boiler has burst again"},
        )

    def test_short_inputs_must_be_all_of_a_turn(self):
        self.assertEqual(self.used("thanks"), {"thanks"})
        # Part of a turn, of the answer, of the instruction, of nothing.
        self.assertEqual(self.used("Friday?", "booking", "Sort letters.", "ks"), set())

    def test_a_short_input_that_makes_the_message_read_as_a_turn_is_found(self):
        prompt = (
            Message("user", "Is sea 7 wet?"),
            Message("assistant", "yes"),
            Message("user", "Is {{sea}} wet?"),
        )
        cases = {n: {"sea": f"sea {n}"} for n in ("7", "8", "")}
        self.assertEqual(used_cases(prompt, cases), {"7"})

    def test_the_longest_input_decides_and_empty_ones_never_match(self):
        cases = {"a": {"letter": "", "note": None}, "b": {}, "c": {"letter": "unlike", "n": 3}}
        self.assertEqual(used_cases(PROMPT, cases), set())
        longer = {"d": {"letter": "thanks", "note": "something else that is longer"}}
        self.assertEqual(used_cases(PROMPT, longer), set())


if __name__ == "__main__":
    unittest.main()
