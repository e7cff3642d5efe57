"""Lines that earned their place: which fit another prompt, in what order."""

import unittest

from nomikon.core.prompts import Message
from nomikon.core.prompts.earned import Line, fitting, likeness

LINES = [
    Line("Answer in at most 30 words.", "summarise", 0.09),
    Line("Never promise a refund.", "write", 0.05),
    Line("Give null for whatever the invoice leaves out.", "extract", 0.12),
    Line("The harbour office opens at nine.", "extract", 0.2),
    Line("Write for readers who have never seen an invoice.", "extract", 0.03),
]
JOB = "Take number, date and amount out of an invoice."


def texts(places):
    return [LINES[i].text for i in places]


class EarnedTest(unittest.TestCase):
    def test_the_kind_of_task_counts_first_then_what_is_not_said_then_words(self):
        found = texts(fitting(LINES, "extract", JOB, ()))
        # One that says nothing of a prompt's parts, and nothing of the job, is offered to nobody.
        self.assertNotIn(LINES[3].text, found)
        self.assertEqual(set(found[:2]), {LINES[2].text, LINES[4].text})
        self.assertEqual(texts(fitting(LINES, "summarise", JOB, ()))[0], LINES[0].text)

    def test_what_the_text_says_already_is_not_offered(self):
        text = [Message("user", "Never promise a refund!\nAnswer in at most 80 words.\n{{letter}}")]
        found = texts(fitting(LINES, "write", "Answer letters.", text))
        self.assertNotIn(LINES[1].text, found)
        # A limit stands there, so another one helps less than what is not there at all.
        self.assertNotEqual(found[0], LINES[0].text)

    def test_likeness_is_of_words_and_the_same_both_ways(self):
        self.assertEqual(likeness("Say Yes.", "say yes"), 1.0)
        self.assertEqual(likeness("Keep it short", "Be brief with them"), 0.0)
        a, b = "Use plain words here", "Use plain words and few"
        self.assertEqual(likeness(a, b), likeness(b, a))
