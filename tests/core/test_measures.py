"""Measures and scorecards: every score with its why, every bad parameter with its field."""

import json
import unittest

from jsonschema import validate

from nomikon.core.errors import MeasureError, ScorecardError
from nomikon.core.measures import MEASURES, Answer, make_measure, read_scorecard, score_answer
from nomikon.core.measures.declared import SORTS, declared


def score(name, output, reference=None, **parameters):
    return make_measure(name, parameters).score(Answer(output, reference))


REFERENCE = json.dumps({"category": "delay", "urgency": "high", "vessel": None, "n": 1})


class ScoresTest(unittest.TestCase):
    def test_by_hand(self):
        table = [
            ("exact-match", "yes", "yes", {}, 1),
            ("exact-match", "yes ", "yes", {}, 0),
            ("exact-match", "Yes", "yes", {}, 0),
            ("normalised-match", " “Lost  Item.” ", "lost item", {}, 1),
            ("normalised-match", "lost items", "lost item", {}, 0),
            ("json-fields", REFERENCE, REFERENCE, {}, 1),
            ("json-fields", '{"category": "delay"}', REFERENCE, {}, 0.25),
            (
                "json-fields",
                '{"category": "delay", "vessel": "x"}',
                REFERENCE,
                {"fields": {"category": 3, "vessel": 1}},
                0.75,
            ),
            ("json-fields", '{"n": 1.0}', REFERENCE, {"fields": ["n"]}, 1),
            ("json-fields", '{"n": true}', REFERENCE, {"fields": ["n"]}, 0),
            ("json-fields", '{"vessel": null}', REFERENCE, {"fields": ["vessel"]}, 1),
            ("json-fields", "delay", REFERENCE, {}, 0),
            ("json-fields", "[1]", REFERENCE, {}, 0),
            ("json-fields", f"```json\n{REFERENCE}\n```", REFERENCE, {}, 0),
            ("json-fields", f"```json\n{REFERENCE}\n```", REFERENCE, {"fenced": True}, 1),
            ("json-schema", '{"a": 1}', None, {"schema": {"required": ["a"]}}, 1),
            ("json-schema", '{"b": 1}', None, {"schema": {"required": ["a"]}}, 0),
            ("json-schema", '{"a": NaN}', None, {"schema": {}}, 0),
            ("length", "one two three", None, {"unit": "words", "max": 3}, 1),
            ("length", "one two three", None, {"unit": "words", "min": 4}, 0),
            ("length", "héé", None, {"unit": "characters", "min": 3, "max": 3}, 1),
            ("length", "Late. Very! Odd", None, {"unit": "sentences", "min": 3, "max": 3}, 1),
            ("length", "a\n\nb", None, {"unit": "lines", "max": 2}, 1),
            ("length", "a\nb\n\nc", None, {"unit": "paragraphs", "min": 2, "max": 2}, 1),
            ("contains", "The Saltwife sails", None, {"all": ["Saltwife", "sails"]}, 1),
            ("contains", "The saltwife", None, {"all": ["Saltwife"]}, 0),
            ("contains", "The saltwife", None, {"all": ["Saltwife"], "ignore_case": True}, 1),
            ("contains", "b", None, {"any": ["a", "b"]}, 1),
            ("contains", "c", None, {"any": ["a", "b"]}, 0),
            ("not-contains", "a refund", None, {"phrases": ["refund"]}, 0),
            ("not-contains", "a tea", None, {"phrases": ["refund"]}, 1),
        ]
        for name, output, reference, parameters, wanted in table:
            with self.subTest(name=name, output=output, parameters=parameters):
                found = score(name, output, reference, **parameters)
                self.assertAlmostEqual(found.value, wanted, places=12)
                self.assertTrue(found.why)

    def test_words_signs_and_ends(self):
        long = {"letter": "one two three four five six seven eight"}
        for name, parameters, output, wanted in (
            (
                "phrase-count",
                {"phrase": "per cent", "min": 2},
                "3 per  cent, 4 Per cent, percent",
                1.0,
            ),
            ("phrase-count", {"phrase": "Brack", "max": 0, "ignore_case": False}, "brack", 1.0),
            ("phrase-count", {"phrase": "née", "min": 1, "max": 1}, "Ann née Berg, née", 0.0),
            ("begins-with", {"values": ["Hi", "Dear"]}, "  \n**Dear** guest", 0.0),
            ("begins-with", {"values": ["dear"], "ignore_case": True}, "  \nDEAR guest", 1.0),
            ("ends-with", {"values": ["?"]}, "Is it late? \n", 1.0),
            ("no-end-stop", {"each": "bullets"}, "- “It sails.”\n- *late.*\n- and so on...", 1 / 3),
            ("no-end-stop", {}, "船は遅れた。", 0.0),
            ("no-characters", {"emoji": True}, "Call 555 #1 ©", 1.0),
            ("no-characters", {"emoji": True}, "on time ☀️", 0.0),
            ("relative-length", {"input": "letter", "max": 0.5}, "a b c d", 1.0),
            ("relative-length", {"input": "letter", "max": 0.5}, "a b c d e", 0.0),
            ("relative-length", {"min": 0.5, "max": 0.6}, "a b c", 0.0),
            ("relative-length", {"input": "mail", "max": 0.5}, "a", None),
        ):
            with self.subTest(name=name, output=output):
                found = make_measure(name, parameters).score(Answer(output, inputs=long))
                if wanted is None:
                    self.assertIsNone(found.value)
                else:
                    self.assertAlmostEqual(found.value, wanted)
        for name, parameters, field in (
            ("phrase-count", {"phrase": " ", "max": 1}, "phrase"),
            ("phrase-count", {"phrase": "a"}, "max"),
            ("phrase-count", {"phrase": "a", "min": 3, "max": 2}, "min"),
            ("begins-with", {"values": [" "]}, "values"),
            ("no-characters", {}, "characters"),
            ("relative-length", {"max": 5000}, "max"),
            ("relative-length", {}, "max"),
        ):
            with self.subTest(name=name), self.assertRaises(MeasureError) as caught:
                make_measure(name, parameters)
            self.assertEqual(caught.exception.field, field)

    def test_without_a_reference_there_is_no_score(self):
        for name, kind in MEASURES.items():
            if kind.needs_reference:
                self.assertIsNone(score(name, "x", **kind.worked[0]).value, name)
        self.assertIsNone(score("json-fields", "{}", "not json").value)
        self.assertIsNone(score("json-fields", "{}", '{"a": 1}', fields=["b"]).value)

    def test_deep_nesting_is_not_json_and_does_not_crash(self):
        self.assertEqual(score("json-schema", "[" * 10_000, schema={}).value, 0)
        self.assertEqual(score("json-schema", "[" * 9_000 + "]" * 9_000, schema={}).value, 0)

    def test_the_why_names_the_field_in_json_words(self):
        why = score("json-fields", '{"category": null}', '{"category": "delay"}').why
        self.assertEqual(why, "category is null, not delay")
        why = score(
            "json-schema", '{"a": null}', schema={"properties": {"a": {"enum": ["x", "y"]}}}
        ).why
        self.assertEqual(why, "$.a: null is not one of x, y")


class ParametersTest(unittest.TestCase):
    def test_each_refusal_names_its_field(self):
        for name, parameters, field in [
            ("exact-match", {"x": 1}, "x"),
            ("json-fields", {"fields": {"a": 0}}, "fields"),
            ("json-fields", {"fields": []}, "fields"),
            ("json-schema", {}, "schema"),
            ("json-schema", {"schema": {"type": 5}}, "schema"),
            ("json-schema", {"schema": {"$ref": "http://127.0.0.1/x"}}, "schema"),
            ("length", {"unit": "pages", "max": 1}, "unit"),
            ("length", {"unit": "words"}, "max"),
            ("length", {"unit": "words", "min": 5, "max": 2}, "min"),
            ("length", {"unit": "words", "max": -1}, "max"),
            ("contains", {}, "all"),
            ("contains", {"all": [""]}, "all"),
            ("not-contains", {}, "phrases"),
            ("not-contains", {"phrases": ["a"], "ignore_case": "no"}, "ignore_case"),
            ("nonsense", {}, "measure"),
        ]:
            with self.subTest(name=name, parameters=parameters):
                with self.assertRaises(MeasureError) as caught:
                    make_measure(name, parameters)
                self.assertEqual(caught.exception.field, field)


def card(*measures, **more):
    return read_scorecard({"nomikon": "scorecard/1", "measures": list(measures), **more})


WORDS = {"measure": "length", "unit": "words", "max": 2}
TEA = {"measure": "contains", "all": ["tea"]}


class ScorecardTest(unittest.TestCase):
    def test_total_is_the_weighted_mean(self):
        found = score_answer(card(WORDS | {"weight": 3}, TEA), Answer("one two"))
        self.assertEqual((found.total.value, found.ungated), (0.75, 0.75))

    def test_a_failed_gate_zeroes_the_total_and_the_ungated_score_stands_beside_it(self):
        found = score_answer(card(WORDS | {"weight": 3}, TEA | {"gate": True}), Answer("one two"))
        self.assertEqual((found.total.value, found.ungated), (0.0, 0.75))
        self.assertIn("contains", found.total.why)

    def test_a_weighted_measure_without_a_score_makes_the_total_missing(self):
        found = score_answer(card(WORDS, {"measure": "exact-match"}), Answer("one"))
        self.assertIsNone(found.total.value)
        light = score_answer(card(WORDS, {"measure": "exact-match", "weight": 0}), Answer("one"))
        self.assertEqual(light.total.value, 1.0)

    def test_no_answer_scores_zero_by_every_measure(self):
        for output, finish in [
            ("", "stop"),
            ("tea", "length"),
            ("I'm sorry, but I can't help with that.", "stop"),
        ]:
            found = score_answer(card(WORDS, TEA), Answer(output, finish_reason=finish))
            self.assertEqual([s.value for s in found.by_name.values()], [0.0, 0.0])
            self.assertEqual(found.total.value, 0.0)

    def test_refusals_lead_to_the_place(self):
        good = {"nomikon": "scorecard/1", "measures": [WORDS]}
        for change, field in [
            ({"nomikon": "x"}, "nomikon"),
            ({"margin": 0}, "margin"),
            ({"margin": 2}, "margin"),
            ({"measures": []}, "measures"),
            ({"other": 1}, "other"),
            ({"measures": [WORDS, WORDS]}, "measures.1.name"),
            ({"measures": [WORDS | {"name": "total"}]}, "measures.0.name"),
            ({"measures": [WORDS | {"weight": -1}]}, "measures.0.weight"),
            ({"measures": [WORDS | {"weight": float("nan")}]}, "measures.0.weight"),
            ({"measures": [WORDS | {"weight": 0}]}, "measures"),
            ({"measures": [WORDS | {"gate": "yes"}]}, "measures.0.gate"),
            ({"measures": [{"measure": "length", "unit": "x", "max": 1}]}, "measures.0.unit"),
            ({"measures": ["length"]}, "measures.0.measure"),
        ]:
            with self.subTest(change=change), self.assertRaises(ScorecardError) as caught:
                read_scorecard({**good, **change})
            self.assertEqual(caught.exception.field, field)


class SortsTest(unittest.TestCase):
    def test_every_parameter_says_what_it_takes_and_the_examples_fit(self):
        """A form must ask for each in the right way; the worked examples are of that sort."""
        kinds = {
            "text": str, "long": str, "texts": (list, str), "whole": int, "number": (int, float),
            "flag": bool, "choice": str, "json": (dict, list), "criteria": list, "model": str,
        }  # fmt: skip
        for name, measure in MEASURES.items():
            for parameter, told in measure.parameters.items():
                with self.subTest(measure=name, parameter=parameter):
                    self.assertIn(told.sort, SORTS)
                    self.assertEqual(bool(told.options), told.sort == "choice")
                    value = measure.worked[0].get(parameter)
                    if value is not None:
                        self.assertIsInstance(value, kinds[told.sort])
                        self.assertTrue(not told.options or value in told.options)
                        validate(value, told.schema())
        self.assertEqual(declared({"thing": "words alone"})["thing"].sort, "json")
