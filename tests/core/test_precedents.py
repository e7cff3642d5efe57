"""Precedents: what holds, what is proposed from a mark, what a judge's reply says."""

import json
import unittest

from nomikon.core.errors import MeasureError
from nomikon.core.measures import Answer
from nomikon.core.measures.base import JudgeReply
from nomikon.core.measures.precedents import (
    check_precedent,
    holds,
    propose_precedents,
    question_request,
    read_ruling,
)


class HoldsTest(unittest.TestCase):
    def test_letter_case_and_blanks_do_not_count(self):
        self.assertTrue(holds("must-say", "The Harrier", "Take the  harrier\nat ten.")[0])
        self.assertFalse(holds("must-say", "Saltwife", "Take the Harrier.")[0])
        self.assertFalse(holds("must-not-say", "refund", "We REFUND you.")[0])
        self.assertTrue(holds("must-not-say", "refund", "We are sorry.")[0])
        self.assertTrue(holds("equals", "yes", " Yes ")[0])
        self.assertFalse(holds("equals", "yes", "yes, it is")[0])

    def test_equal_json_in_any_order_of_keys(self):
        self.assertTrue(holds("equals", '{"a": 1, "b": [2]}', '{"b":[2],"a":1}')[0])
        self.assertFalse(holds("equals", '{"a": 1}', '{"a": 2}')[0])
        # A number is no JSON document to anybody who wrote “10”.
        self.assertFalse(holds("equals", "10", "10.0")[0])

    def test_what_is_no_precedent(self):
        for kind, text, field in (
            ("perhaps", "x", "kind"),
            ("must-say", "  ", "text"),
            ("equals", "x" * 5000, "text"),
        ):
            with self.assertRaises(MeasureError) as caught:
                check_precedent(kind, text)
            self.assertEqual(caught.exception.field, field)
        with self.assertRaises(MeasureError):
            holds("question", "Is it kind?", "yes")


class ProposeTest(unittest.TestCase):
    def propose(self, answer, comment="", spans=(), better=None):
        found = propose_precedents(answer=answer, comment=comment, spans=spans, better=better)
        return [(p.kind, p.text) for p in found]

    def test_a_better_answer_is_wanted_and_what_parts_the_two(self):
        found = self.propose(
            "Take the Saltwife at ten.", better="Take the Harrier at ten, from quay two."
        )
        self.assertEqual(found[0], ("equals", "Take the Harrier at ten, from quay two."))
        self.assertIn(("must-say", "Harrier"), found)
        self.assertIn(("must-not-say", "Saltwife"), found)

    def test_every_proposal_holds_for_the_better_answer_and_fails_for_the_marked_one(self):
        answer = '{"category": "delay", "vessel": "unknown"}'
        better = '{"category": "lost item", "vessel": null}'
        for kind, text in self.propose(answer, better=better):
            with self.subTest(kind=kind, text=text):
                self.assertTrue(holds(kind, text, better)[0])
                self.assertFalse(holds(kind, text, answer)[0])

    def test_commented_words_and_quoted_words(self):
        found = self.propose(
            "We shall refund you.",
            comment="It must say “sorry”, and never “refund”.",
            spans=[("refund you", "no promise of money")],
        )
        self.assertIn(("must-not-say", "refund you"), found)
        self.assertIn(("must-say", "sorry"), found)
        self.assertIn(("must-not-say", "refund"), found)

    def test_how_a_comment_speaks_of_the_words_it_quotes(self):
        """Wording that the rules were not written beside, in four languages."""
        answer = "The category is delay, and we refund you in full. Boat: Saltwife."
        for comment, words, wanted in (
            ("'delay' is right, but give it alone", "delay", None),
            ("„delay“ stimmt, gib aber nur das Wort aus", "delay", None),
            ("La categoría “delay” es correcta, pero sobra el resto", "delay", None),
            ("I like “delay” here", "delay", None),
            ("The label “delay” stays; get rid of everything else", "delay", None),
            ("“delay” as category: fine. “Saltwife”: wrong boat", "delay", None),
            ("“delay” as category: fine. “Saltwife”: wrong boat", "Saltwife", "must-not-say"),
            ("Where does “Saltwife” come from? The letter never says it.", "Saltwife", None),
            ("Our policy forbids “in full”", "in full", None),
            ('Please do not promise "refund you"', "refund you", "must-not-say"),
            ("« refund you » ne doit jamais apparaître", "refund you", "must-not-say"),
            ("Das Wort „refund you“ streichen", "refund you", "must-not-say"),
            ("Kein „in full“ bitte", "in full", "must-not-say"),
            ("“Saltwife” is made up", "Saltwife", "must-not-say"),
            ("“delay” isn't correct", "delay", "must-not-say"),
            ("“delay” n'est pas correct", "delay", "must-not-say"),
            ("Say 'lost item', not 'delay'", "delay", "must-not-say"),
            ("Say 'lost item', not 'delay'", "lost item", "must-say"),
            ("It should have named “Harrier” instead", "Harrier", "must-say"),
            ("Il manque « toutes nos excuses »", "toutes nos excuses", "must-say"),
            ("Falta “lo sentimos”", "lo sentimos", "must-say"),
            ("Es fehlt „Entschuldigung“", "Entschuldigung", "must-say"),
        ):
            with self.subTest(comment=comment, words=words):
                found = {text: kind for kind, text in self.propose(answer, comment)
                         if kind != "question"}  # fmt: skip
                self.assertEqual(found.get(words), wanted)

    def test_what_the_better_answer_says_is_never_forbidden(self):
        found = self.propose(
            '"delay", and the boat was late', "drop “delay” from the sentence", better="'delay'"
        )
        self.assertNotIn(("must-not-say", "delay"), found)

    def test_what_was_said_becomes_a_question_and_nothing_gives_nothing(self):
        found = self.propose("Well.", comment="Too curt for a complaint.")
        self.assertEqual([k for k, _ in found], ["question"])
        self.assertIn("“Too curt for a complaint”", found[0][1])
        self.assertEqual(self.propose("Well."), [])

    def test_a_long_better_answer_is_not_asked_for_word_for_word(self):
        found = self.propose("No.", better="We are sorry. " * 60)
        self.assertNotIn("equals", [k for k, _ in found])


class QuestionTest(unittest.TestCase):
    def test_the_judge_sees_question_and_answer_and_its_reply_is_read_strictly(self):
        answer = Answer("We are sorry.", None, {"letter": "Late again"})
        request = question_request("some-judge", "Is it kind?", answer)
        told = "\n".join(m.content for m in request.messages)
        for part in ("Is it kind?", "We are sorry.", "Late again"):
            self.assertIn(part, told)

        def ruling(level, reason="It says sorry."):
            reply = json.dumps({"precedent": {"level": level, "reason": reason}})
            return read_ruling("some-judge", "Is it kind?", JudgeReply(reply))[0]

        self.assertEqual((ruling(2), ruling(1)), (True, False))
        self.assertIsNone(ruling(7))
        self.assertIsNone(ruling("1 or 2"))
        failed = read_ruling("m", "Is it?", JudgeReply("", None, "timeout"))
        self.assertIsNone(failed[0])
        self.assertIn("cannot be read", failed[1])
        reply = json.dumps({"precedent": {"level": 2, "reason": "It says sorry."}})
        self.assertEqual(read_ruling("m", "Is it?", JudgeReply(reply)), (True, "It says sorry."))


if __name__ == "__main__":
    unittest.main()
