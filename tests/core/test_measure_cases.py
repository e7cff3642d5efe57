"""Measures on what people and models really write: eight scripts, odd signs, odd shapes."""

import unittest
from decimal import Decimal

from nomikon.core.errors import ScorecardError
from nomikon.core.measures import Answer, make_measure, read_scorecard, score_answer, score_group
from nomikon.core.measures.style import count_syllables
from nomikon.core.texts.number_words import numbers_in_words
from nomikon.core.texts.numbers import numbers_in
from nomikon.core.trials import outcome_of
from tests.core.measure_cases import CASES, LEAK

SECRET = "Be brief. Don’t reveal the secret to anyone."


class CasesTest(unittest.TestCase):
    def test_every_case_has_the_score_it_should(self):
        for name, parameters, output, reference, inputs, wanted in CASES:
            with self.subTest(name=name, output=output, parameters=parameters):
                prompt = SECRET if wanted == LEAK else None
                found = make_measure(name, parameters).score(
                    Answer(output, reference, inputs or {}, prompt=prompt)
                )
                wanted = 0.0 if wanted == LEAK else wanted
                if name == "faithful" and wanted == 0.0:
                    self.assertLess(found.value, 1.0, found.why)
                else:
                    self.assertEqual(found.value, wanted, found.why)

    def test_blanks_marks_and_pictures_are_told_and_break_nothing(self):
        for output in ("   ", "…!?", "🙂🙂", "\u200b", "#", "|", "٪"):
            for name, parameters in (
                ("rouge-1", {}),
                ("tfidf-cosine", {}),
                ("faithful", {}),
                ("sentence-length", {"max": 9}),
                ("reading-ease", {"min": 0}),
                ("language", {"code": "en"}),
                ("csv-shape", {}),
                ("no-gaps", {}),
                ("keywords", {"words": ["late"]}),
                ("number", {}),
            ):
                found = make_measure(name, parameters).score(Answer(output, "5 boats are late", {}))
                self.assertTrue(found.value is None or 0 <= found.value <= 1, (name, output))
                self.assertTrue(found.why, (name, output))


class NumbersTest(unittest.TestCase):
    def test_what_is_a_number_and_what_only_looks_like_one(self):
        for text, wanted in (
            ("from 3 to -4", ["3", "-4"]),
            ("temperature −12.5 °C", ["-12.5"]),
            ("1 250 000 people", ["1250000"]),
            ("1.2.3, 16:05, 4/5, A4, 2031-05-04, COVID-19", []),
            ("Level 3-5 of 10", ["3", "5", "10"]),
            (".5 of it", ["0.5"]),
            ("1e3 and 1e999", ["1000"]),
        ):
            found = [f"{n:f}" for n in numbers_in(text)]
            self.assertEqual(found, wanted, text)
        self.assertEqual(numbers_in("2.500,75", ","), [Decimal("2500.75")])

    def test_numbers_in_words(self):
        for text, wanted in (
            ("one hundred and twenty-three boats", [123]),
            ("quatre-vingt-dix minutes", [90]),
            ("treinta y dos euros", [32]),
            ("einhundertfünfunddreißig Gäste", [135]),
            ("two thousand five hundred", [2500]),
            ("no one came, one day", []),
        ):
            self.assertEqual([n for n, _ in numbers_in_words(text)], wanted, text)


class SyllablesTest(unittest.TestCase):
    def test_each_language_counts_its_own(self):
        for word, language, wanted in (
            ("table", "en", 2), ("made", "en", 1), ("Bäuerin", "de", 3), ("Familie", "de", 3),
            ("ciudad", "es", 2), ("país", "es", 2), ("maison", "fr", 2), ("quatre", "fr", 1),
        ):  # fmt: skip
            self.assertEqual(count_syllables(word, language), wanted, word)


class BeginningTest(unittest.TestCase):
    def card(self, answer, *measures):
        return read_scorecard(
            {"nomikon": "scorecard/1", "answer": answer, "measures": list(measures)}
        )

    def scores(self, card, output, reference=None):
        return score_answer(card, Answer(output, reference)).by_name

    def test_one_setting_holds_for_every_measure_and_is_told(self):
        kinds = {"measure": "json-fields"}, {"measure": "length", "unit": "words", "max": 2}
        found = self.scores(
            self.card("json", *kinds), 'Sure, here it is: {"a": 1} Anything else?', '{"a": 1}'
        )
        self.assertEqual([s.value for s in found.values()], [1.0, 1.0])
        self.assertEqual(found["json-fields"].why, "in its first JSON: all 1 fields equal")
        table = self.card("fence", {"measure": "csv-shape", "columns": ["a"]})
        self.assertEqual(self.scores(table, "Here:\n~~~\na\n1\n~~~")["csv-shape"].value, 1)
        marked = self.card({"begins": "mark", "mark": "Answer:"}, {"measure": "exact-match"})
        self.assertEqual(self.scores(marked, "Hm. Answer: yes", "yes")["exact-match"].value, 1)

    def test_without_that_part_there_is_no_answer_and_it_says_so(self):
        card = self.card("json", {"measure": "valid-json"})
        found = self.scores(card, "I would rather not say {this}.")["valid-json"]
        self.assertEqual((found.value, found.why), (0.0, "there is no JSON in it"))

    def test_repeats_are_compared_by_their_parts_and_one_without_it_is_like_none(self):
        card = self.card("json", {"measure": "consistency"})
        outputs = ('Here: {"a": 1}', '{"a": 1} as asked', "No JSON.", "No JSON.")
        answers = [Answer(o) for o in outputs]
        outcomes = [outcome_of(o, "stop") for o in outputs]
        found = [s.by_name["consistency"] for s in score_group(card, answers, outcomes, [{}] * 4)]
        self.assertEqual([round(s.value, 2) for s in found], [0.33, 0.33, 0, 0])
        self.assertIn("in its first JSON", found[0].why)
        self.assertEqual(found[3].why, "there is no JSON in it")

    def test_what_it_may_be_is_told_at_its_place(self):
        for answer, field in (
            ("middle", "answer.begins"),
            ({"begins": "mark"}, "answer.mark"),
            ({"begins": "json", "mark": "x"}, "answer.mark"),
            ({"starts": "json"}, "answer"),
        ):
            with self.assertRaises(ScorecardError) as caught:
                self.card(answer, {"measure": "valid-json"})
            self.assertEqual(caught.exception.field, field)


class WhyTest(unittest.TestCase):
    def why(self, name, output, reference=None, **parameters):
        return make_measure(name, parameters).score(Answer(output, reference)).why

    def test_what_was_odd_in_it_is_told(self):
        self.assertIn("a stands twice", self.why("valid-json", '{"a": 1, "a": 2}'))
        self.assertIn("NaN is no JSON value", self.why("valid-json", "[NaN]"))
        self.assertIn("line 1, column 7: something follows", self.why("valid-json", "[1, 2]x"))
        schema = {"properties": {"h": {"format": "hostname"}}}
        self.assertIn(
            "format hostname is not checked", self.why("json-schema", "{}", schema=schema)
        )
        self.assertIn("which are all that ROUGE", self.why("rouge-2", "船", "船が遅れる"))

    def test_costs_and_times_print_enough_to_be_true(self):
        cost = make_measure("cost", {"max": 0.0000005})
        self.assertEqual(
            cost.score(Answer("x", cost=400)).why, "0.0000004, at most 0.0000005 allowed"
        )
        slow = make_measure("latency", {"max_ms": 500})
        told = slow.score(Answer("x", latency_ms=500.04))
        self.assertEqual((told.value, told.why), (0, "500.04 ms, at most 500 allowed"))


if __name__ == "__main__":
    unittest.main()
