"""Answers told from what are none, by cases written by hand in four languages."""

import unittest

from nomikon.core.replies.reasoning import NONE, part_reasoning
from nomikon.core.trials import breaks_off, outcome_of
from nomikon.core.trials.reading import Piece, read_answer
from tests.core.outcome_cases import HELD, LATER, LONG, WORKED


class OutcomeTest(unittest.TestCase):
    def test_every_case_is_told_and_no_answer_is_called_another_for_sure(self):
        for text, finish, kind in (*WORKED, *HELD, *LATER):
            told = outcome_of(text, finish)
            with self.subTest(text=text[-90:], finish=finish, why=told.why):
                self.assertEqual(told.suspected or told.kind, kind)
                if kind == "answered":
                    self.assertEqual(told.kind, "answered")

    def test_a_bare_refusal_is_sure_and_one_that_says_more_is_in_doubt(self):
        sure = outcome_of("I'm sorry, but I can't help with that.", "stop")
        self.assertEqual((sure.kind, sure.sure), ("declined", True))
        doubt = outcome_of(
            "I can't help with the crossing itself. The office on the quay opens at seven and sells "
            "tickets for it.",
            "stop",
        )
        self.assertEqual((doubt.kind, doubt.suspected), ("answered", "declined"))
        self.assertIn("I can't help", doubt.why)

    def test_what_the_server_says_goes_before_the_text(self):
        refused = outcome_of("", "stop", refusal="I will not do that.")
        self.assertEqual(refused.kind, "declined")
        self.assertIn("I will not do that", refused.why)
        tool = outcome_of("", "tool_calls", tools=["look_up"])
        self.assertEqual((tool.kind, "look_up" in tool.why), ("empty", True))
        self.assertEqual(outcome_of("", "length", reasoned=True).kind, "cut")
        self.assertEqual(outcome_of("", "stop", reasoned=True).kind, "empty")
        # A refusal beside a whole answer is no refusal.
        self.assertEqual(outcome_of("The total is 42.", "stop", refusal="no").kind, "answered")

    def test_an_answer_ended_by_a_stop_sequence_may_end_anywhere(self):
        text = "one two three four five six seven eight nine ten eleven twelve and"
        self.assertEqual(outcome_of(text, None, ["END"]).kind, "answered")
        self.assertEqual(outcome_of(text, None).kind, "cut")

    def test_whole_answers_of_many_shapes(self):
        letter = "Dear Ms Holm,\nwe are sorry that the sailing was late. We will look into it.\n\n"
        for text in (
            "delay",
            "lost item, booking change",
            '{"a": "an open { in a text"}',
            "[the list is empty] as of today and nothing else is known about this at all",
            letter + "Kind regards,",
            letter + "Please write to us again if anything is open. With warm wishes,",
            letter + "The Kestrel team",
            "# Notice\n- The 09:10 from Holm to Skerry will not sail today\n- Take the 10:40",
            "```\ncode\n```",
            "It is what it is and nobody on the quay could say what it was made for.",
        ):
            with self.subTest(text=text):
                self.assertIsNone(breaks_off(text))

    def test_how_sure_a_cut_is_depends_on_what_the_server_said(self):
        self.assertTrue(breaks_off(LONG + "She waits for the").sure)
        self.assertIsNone(breaks_off(LONG + "She waits for the", ended=True))
        self.assertFalse(breaks_off(LONG + "She waits, hopes,", ended=True).sure)
        self.assertTrue(breaks_off('{"a": [1, 2', ended=True).sure)
        self.assertFalse(breaks_off(LONG + "She waits at the quay", ended=False).sure)


class ReasoningTest(unittest.TestCase):
    def test_reasoning_is_taken_from_the_beginning_only(self):
        for text, answer, reasoning in [
            ("<think>\nTwo and two.\n</think>\n\n4", "4", "Two and two."),
            ("Two and two.</think>4", "4", "Two and two."),
            ("<thinking>a</thinking><reasoning>b</reasoning> 4", "4", "a\n\nb"),
            ("[THINK]a[/THINK]\n4", "4", "a"),
            ("<think>", "", ""),
            ("<think>never ends, so there is", "", "never ends, so there is"),
            ("Put <think> in front and </think> behind.", "Put <think> in front and </think> behind.", ""),
            ("The tag `</think>` closes it.", "The tag `</think>` closes it.", ""),
            ("4", "4", ""),
        ]:  # fmt: skip
            with self.subTest(text=text):
                parted = part_reasoning(text)
                self.assertEqual((parted.answer, parted.reasoning), (answer, reasoning))

    def test_a_model_without_reasoning_keeps_its_text(self):
        self.assertEqual(part_reasoning("<think>a</think>b", NONE).answer, "<think>a</think>b")

    def test_pieces_are_read_without_their_reasoning(self):
        read = read_answer(
            [
                Piece("<think>count</think>one two three four", "length", "from a field"),
                Piece("<think>go on</think>three four five six.", "stop"),
            ]
        )
        self.assertEqual(read.text, "one two three four five six.")
        self.assertEqual(read.reasoning, "from a field\n\ncount\n\ngo on")
        self.assertEqual((read.outcome.kind, read.finish_reason), ("answered", "stop"))
        only = read_answer([Piece("<think>I wonder", "length")])
        self.assertEqual((only.text, only.outcome.kind), ("", "cut"))
        declined = read_answer([Piece("", "stop", refusal="I will not.")])
        self.assertEqual((declined.text, declined.outcome.kind), ("I will not.", "declined"))
