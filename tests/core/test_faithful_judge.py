"""Faithfulness by form, and a judge for what form cannot tell."""

import json
import unittest

from nomikon.core.errors import MeasureError
from nomikon.core.measures import Answer, JudgeReply, make_measure
from nomikon.core.measures.faithful_judge import LONGEST
from nomikon.core.texts.facts import names_in, perhaps_names, times_in

INPUT = {"log": "The Harrier left pier 4 at 16:05 with 31 on board. Mate: A. Berg."}

# A name that is a word of the language where a sentence begins, and sentences without one. The
# second half was written after the rule and looked at once: 12 of 12.
BEGINNINGS = (
    ("Rose met them at the gate.", "en", "Rose"),
    ("It was late. Grace has the key.", "en", "Grace"),
    ("Thank you for your patience.", "en", None),
    ("The ferry sails at noon. Please wait.", "en", None),
    ("Paloma llegó tarde al muelle.", "es", "Paloma"),
    ("Rose attend sur le quai.", "fr", "Rose"),
    # Set aside.
    ("Heather brought the lamp back.", "en", "Heather"),
    ("Nobody came. Ruby rang twice.", "en", "Ruby"),
    ("Forest signed the form on Tuesday.", "en", "Forest"),
    ("When it rains, nobody waits outside.", "en", None),
    ("Where did you leave the bag?", "en", None),
    ("Socorro espera en la puerta.", "es", "Socorro"),
    ("Mañana no hay barco.", "es", None),
    ("Aucun bateau ne part ce soir.", "fr", None),
    ("Marguerite a rendu la clé.", "fr", "Marguerite"),
    ("Olive garde le phare.", "fr", "Olive"),
    ("Vous pouvez attendre ici.", "fr", None),
    ("Iris hat den Schlüssel.", "de", "Iris"),
)


def told(*rulings, **more):
    rows = [{"number": n, "held": r, "reason": f"because {n}"} for n, r in enumerate(rulings, 1)]
    return JudgeReply(json.dumps({"facts": rows}), **more)


class TimesTest(unittest.TestCase):
    def test_at_a_sentences_end_and_with_a_stop_between(self):
        for text, time in (
            ("It sails at 16:05.", "16:05"),
            ("Sie fährt um 16.05 Uhr.", "16:05"),
            ("It opens at 9.30.", "9:30"),
            ("Doors open 9.30 p.m. sharp", "21:30"),
            ("A ticket is 3.50.", None),
            ("Version 2.10.4 is out.", None),
        ):
            self.assertEqual(list(times_in(text)), [time] if time else [], text)


class FaithfulJudgeTest(unittest.TestCase):
    def setUp(self):
        self.measure = make_measure("faithful-judge", {"model": "judge"})

    def answer(self, text, *replies):
        return Answer(text, None, INPUT, replies=replies or None)

    def test_what_form_can_tell_is_put_to_nobody(self):
        sound = self.answer("At 4:05 p.m. the Harrier left pier four.")
        self.assertEqual(self.measure.requests(sound), ())
        self.assertEqual(self.measure.score(sound).value, 1.0)
        self.assertEqual(self.measure.score(self.answer("It left.")).value, 1.0)

    def test_the_doubtful_are_asked_in_their_sentence_with_what_was_given(self):
        text = "Rose took the lines. The Harrier left at 17:20 with thirty-one."
        (asked,) = self.measure.requests(self.answer(text))
        sent = asked.messages[0].content
        self.assertIn("1. 17:20\n   in: The Harrier left at 17:20 with thirty-one.", sent)
        self.assertIn("2. Rose\n   in: Rose took the lines.", sent)
        self.assertIn(INPUT["log"], sent)
        self.assertEqual(self.measure.score(self.answer(text)).code, "not-asked")

    def test_rulings_count_with_what_form_has_told(self):
        # Held by form: Harrier, 31; asked: 17:20 and Rose.
        text = "Rose took the lines. The Harrier left at 17:20 with thirty-one."
        for rulings, value in (
            (("held", "held"), 1.0),
            (("not held", "held"), 3 / 4),
            (("not held", "no fact"), 2 / 3),
            (("no", "no"), 2 / 4),
        ):
            score = self.measure.score(self.answer(text, told(*rulings)))
            self.assertAlmostEqual(score.value, value, msg=str(rulings))
        self.assertIn("17:20 and 1 more: because 1", score.why)

    def test_manners_of_replies(self):
        text = "Rose left at 17:20."
        good = (
            '```json\n[{"n": 1, "supported": false, "why": "it says 16:05"}, {"n": 2, "supported": "yes"}]\n```',
            '{"Claims": [{"No.": "1", "Verdict": "unsupported"}, {"No.": "2", "Verdict": "Held"}]}',
            '<think>Rose? Hm.</think>{"facts": [{"number": 2, "held": "ja"}, {"number": 1, "held": "nein"}]}',
        )
        for reply in good:
            score = self.measure.score(self.answer(text, JudgeReply(reply)))
            self.assertEqual(score.value, 0.5, reply)
        bad = {
            '{"facts": [{"number": 1, "held": "held"}]}': "nothing is said of part 2",
            '{"facts": [{"number": 1, "held": "perhaps"}, {"number": 2, "held": "held"}]}': "perhaps",
            '{"facts": [{"number": 1, "held": "held"}, {"number": 1, "held": "not held"}]}': "twice",
            '{"facts": [{"number": 3, "held": "held"}]}': "no part that was asked",
            "Both are fine.": "judgement failed",
        }
        for reply, why in bad.items():
            score = self.measure.score(self.answer(text, JudgeReply(reply)))
            self.assertIsNone(score.value, reply)
            self.assertIn(why, score.why)

    def test_an_unclear_reply_is_asked_for_once_more_and_a_long_output_is_not_judged(self):
        (asked,) = self.measure.requests(self.answer("It left at 17:20."))
        self.assertIsNotNone(self.measure.once_more(asked, JudgeReply("Hard to say.")))
        self.assertIsNone(self.measure.once_more(asked, told("held")))
        long = self.answer("It left at 17:20. " * (LONGEST // 10))
        self.assertEqual(self.measure.requests(long), ())
        self.assertIn("20,000 are put to a judge", self.measure.score(long).why)

    def test_what_cannot_be_asked_for(self):
        for parameters in (
            {},
            {"model": "j", "kinds": ["verbs"]},
            {"model": "j", "instruction": "?"},
        ):
            with self.assertRaises(MeasureError):
                make_measure("faithful-judge", parameters)

    def test_names_that_are_words_where_a_sentence_begins(self):
        for text, language, name in BEGINNINGS:
            with self.subTest(text):
                found = [
                    *names_in(text, language).values(),
                    *perhaps_names(text, language).values(),
                ]
                self.assertTrue(name in found if name else not found, found)


if __name__ == "__main__":
    unittest.main()
