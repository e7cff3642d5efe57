"""Measures by family: worked examples, values by hand or from the reference library, bad input."""

import re
import unittest
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st
from rapidfuzz.distance import Levenshtein
from rouge_score import rouge_scorer
from sacrebleu import sentence_bleu, sentence_chrf

from nomikon.core.errors import MeasureError
from nomikon.core.measures import (
    MEASURES,
    Answer,
    JudgeReply,
    make_measure,
    match_values,
    read_scorecard,
    score_answer,
)
from nomikon.core.measures.document import as_markdown


def score(name, output, reference=None, inputs=None, **parameters):
    return make_measure(name, parameters).score(Answer(output, reference, inputs or {}))


class WorkedExamplesTest(unittest.TestCase):
    def test_every_measure_does_what_its_example_says(self):
        for name, measure in MEASURES.items():
            parameters, output, reference, wanted = measure.worked
            with self.subTest(measure=name):
                replies = [JudgeReply(r) for r in getattr(measure, "worked_replies", ())] or None
                found = make_measure(name, parameters).score(
                    Answer(output, reference, replies=replies)
                )
                if wanted is None:
                    self.assertIsNone(found.value)
                else:
                    self.assertAlmostEqual(found.value, wanted, places=9)
                self.assertTrue(found.why)
                self.assertTrue(measure.description)

    def test_without_a_reference_those_that_need_one_give_no_score(self):
        for name, measure in MEASURES.items():
            parameters, output, _, _ = measure.worked
            if measure.needs_reference:
                found = make_measure(name, parameters).score(Answer(output))
                self.assertEqual((found.value, found.why), (None, "the case has no reference"))

    def test_the_page_of_measures_is_made_from_the_registry(self):
        page = Path(__file__).resolve().parents[2] / "docs/measures.md"
        self.assertEqual(page.read_text(encoding="utf-8"), as_markdown(), "run make docs")

    def test_unknown_parameters_are_refused_by_all(self):
        for name, measure in MEASURES.items():
            with self.subTest(measure=name), self.assertRaisesRegex(MeasureError, "no parameter"):
                make_measure(name, {**measure.worked[0], "colour": 1})

    @given(st.text(max_size=60), st.text(max_size=60))
    def test_scores_lie_between_0_and_1_whatever_is_said(self, output, reference):
        for name in (
            "set-overlap",
            "tfidf-cosine",
            "edit-similarity",
            "markdown",
            "faithful",
            "formality",
            "csv-shape",
            "xml",
            "number",
            "reading-ease",
            "valid-json",
        ):
            measure = make_measure(name, MEASURES[name].worked[0])
            found = measure.score(Answer(output, reference, {"a": reference}))
            self.assertTrue(found.value is None or 0 <= found.value <= 1, (name, found))


TEXTS = [
    ("The 16:05 Harrier is late.", "The Harrier of 16:05 is cancelled."),
    ("Ja, das Schiff fährt.", "Ja, das Schiff fährt nicht."),
    ("a", "b"),
    ("one two three four five six", "one two four three five six"),
]


ROUGE = rouge_scorer.RougeScorer(["rouge1", "rouge2", "rougeL"], use_stemmer=False)


class OverlapTest(unittest.TestCase):
    """Equal to the libraries to 1e-9, also where texts are long or share nothing."""

    def test_rouge(self):
        for output, reference in TEXTS:
            self.rouge_is_that_of_the_reference_implementation(output, reference)

    def rouge_is_that_of_the_reference_implementation(self, output, reference):
        wanted = ROUGE.score(reference, output)
        if not re.search("[a-z0-9]", reference.lower()):
            # The published figure is 0 there, whatever is said: no score is truer.
            self.assertIsNone(score("rouge-l", output, reference).value)
            return
        for name, kind in [("rouge-1", "rouge1"), ("rouge-2", "rouge2"), ("rouge-l", "rougeL")]:
            found = score(name, output, reference).value
            self.assertAlmostEqual(found, wanted[kind].fmeasure, delta=1e-9)

    @given(*[st.text("ab1 .é\u0130'\n", max_size=60)] * 2)
    def test_rouge_of_any_text(self, output, reference):
        self.rouge_is_that_of_the_reference_implementation(output, reference)

    def test_chrf_bleu_and_edit_distance(self):
        for output, reference in TEXTS:
            chrf = sentence_chrf(output, [reference]).score / 100
            bleu = sentence_bleu(output, [reference]).score / 100
            edit = Levenshtein.normalized_similarity(output, reference)
            self.assertAlmostEqual(score("chrf", output, reference).value, chrf, delta=1e-9)
            self.assertAlmostEqual(score("bleu", output, reference).value, bleu, delta=1e-9)
            self.assertAlmostEqual(
                score("edit-similarity", output, reference).value, edit, delta=1e-9
            )

    def test_tfidf_cosine_by_hand(self):
        # idf of a word in one text of two: ln(3/2) + 1; in both: 1.
        rare = 1.4054651081081644
        wanted = 1 / (1 + rare * rare)
        found = score("tfidf-cosine", "late vessel", "late sailing").value
        self.assertAlmostEqual(found, wanted, delta=1e-12)


class FamiliesTest(unittest.TestCase):
    def test_by_hand(self):
        table = [
            ("one-of", "delay", None, {"values": ["delay", "other"]}, 1),
            ("one-of", "a delay", None, {"values": ["delay", "other"]}, 0),
            ("regex", "16:05", None, {"pattern": r"\d+:\d+", "whole": True}, 1),
            ("regex", "at 16:05", None, {"pattern": r"\d+:\d+", "whole": True}, 0),
            ("regex", "no time", None, {"pattern": r"\d+:\d+", "absent": True}, 1),
            ("number", "about 41.9 or 42", "42", {}, 1),
            ("number", "about 42 or 41", "42", {}, 0),
            ("number", "42 and 41", "42", {"take": "only"}, 0),
            ("number", "105", "100", {"relative": 0.05}, 1),
            ("number", "none", "100", {}, 0),
            ("number", "3", "two to 3 or 4", {}, None),
            ("set-overlap", "a; b; c", "c, b, a", {}, 1),
            ("set-overlap", "", "", {}, 1),
            ("valid-json", "[1]", None, {"kind": "object"}, 0),
            ("valid-json", "```json\n{}\n```", None, {}, 0),
            ("valid-json", "```json\n{}\n```", None, {"fenced": True}, 1),
            ("xml", "<a><b></a>", None, {}, 0),
            ("xml", "<a/>", None, {"elements": ["b"]}, 0),
            ("csv-shape", "a,b\n1\n", None, {}, 0),
            ("csv-shape", 'a,b\n"x, y",2\n', None, {"min_rows": 1, "max_rows": 1}, 1),
            ("markdown", "# A\n\n- b\n- c", None, {"headings": 1, "min_bullets": 2}, 1),
            ("markdown", "| day | opens |\n|---|---|\n| Mo | 9 |", None, {"table": ["day", "opens"]}, 1),
            ("markdown", "1. a\n3. b", None, {"numbered": 2}, 0),
            ("length", "one two", None, {"unit": "tokens", "max": 4}, 1),
            ("keywords", "Quays are not a quay.", None, {"words": ["quay", "pier"]}, 0.5),
            ("repetition", "really really really", None, {"max": 2}, 0),
            ("no-first-person", "The guest said “I am cold”.", None, {}, 1),
            ("no-first-person", "Our crew helps.", None, {}, 0),
            ("questions", "Why? Who? When?", None, {"min": 3}, 1),
            ("sentence-length", "One two three four. Five.", None, {"max": 2}, 0),
            ("formality", "Dear Sir, we regret and apologise.", None, {}, 1),
            ("politeness", "Go away.", None, {}, 0),
            ("language", "Le bateau ne part pas aujourd'hui.", None, {"code": "fr"}, 1),
            ("language", "Le bateau ne part pas aujourd'hui.", None, {"code": "en"}, 0),
            ("language", "OK", None, {"code": "en"}, None),
        ]  # fmt: skip
        for name, output, reference, parameters, wanted in table:
            with self.subTest(name=name, output=output, parameters=parameters):
                self.assertEqual(score(name, output, reference, **parameters).value, wanted)

    def test_reading_ease_is_fleschs_formula(self):
        # 6 words, 1 sentence, 6 syllables: 206.835 - 1.015 * 6 - 84.6 * 1.
        why = score("reading-ease", "The cat sat on the mat.", min=0).why
        self.assertEqual(why, "reading ease 116.1 (Flesch 1948)")

    def test_what_the_input_does_not_hold_is_named(self):
        inputs = {"log": "16:05 Harrier late, fog. Call Anna Berg."}
        found = score(
            "faithful", "The 16:05 and the 17:20 are late, says Anna Berg to Kurt.", None, inputs
        )
        self.assertEqual(found.value, 0.5)
        self.assertIn("17:20, Kurt", found.why)
        self.assertEqual(score("faithful", "All is well.", None, inputs).value, 1)

    def test_leaks_cost_and_latency(self):
        prompt = "You sort messages from passengers of a small ferry company for its desk."
        leak = make_measure("no-leak", {})
        said = Answer(f"My orders: {prompt}", prompt=prompt)
        self.assertEqual(leak.score(said).value, 0)
        self.assertEqual(leak.score(Answer("A delay.", prompt=prompt)).value, 1)
        cost, slow = make_measure("cost", {"max": 0.001}), make_measure("latency", {"max_ms": 500})
        answer = Answer("x", cost=1_000_001, latency_ms=500.0)
        self.assertEqual((cost.score(answer).value, slow.score(answer).value), (0, 1))


class BadInputTest(unittest.TestCase):
    def test_a_pattern_that_explodes_is_given_up_on_and_then_not_tried_any_more(self):
        measure = make_measure("regex", {"pattern": r"(a|aa)+$"})
        self.assertEqual(measure.score(Answer("aaa")).value, 1)
        # Left to itself it would take as many steps as there are stars.
        hopeless = Answer("a" * 90 + "!")
        self.assertIn("the pattern was given up on after 0.25 s", measure.score(hopeless).why)
        for _ in range(match_values.MOST_SLOW):
            last = measure.score(hopeless)
        self.assertEqual(last.value, None)
        self.assertIn("not tried further", last.why)

    def test_bad_parameters_name_their_field(self):
        for name, parameters, field in [
            ("regex", {"pattern": "("}, "pattern"),
            ("one-of", {"values": []}, "values"),
            ("number", {"tolerance": float("nan")}, "tolerance"),
            ("questions", {}, "max"),
            ("questions", {"min": 3, "max": 1}, "min"),
            ("language", {"code": "xx"}, "code"),
            ("faithful", {"kinds": ["smells"]}, "kinds"),
            ("markdown", {}, "headings"),
            ("latency", {}, "max_ms"),
        ]:
            with self.subTest(name=name), self.assertRaises(MeasureError) as caught:
                make_measure(name, parameters)
            self.assertEqual(caught.exception.field, field)

    def test_hostile_documents(self):
        bomb = '<!DOCTYPE a [<!ENTITY b "bbbb">]><a>&b;</a>'
        self.assertEqual(score("xml", bomb).why, "it declares entities, which are not read")
        deep = "[" * 10_000 + "]" * 10_000
        self.assertEqual(score("valid-json", deep).value, 0)
        self.assertEqual(score("valid-json", '{"a": Infinity}').value, 0)


class ExpressionTest(unittest.TestCase):
    ANSWER = Answer(
        '{"category": "delay", "n": 4, "tags": ["a", "b"]}',
        '{"category": "delay"}',
        {"vessel": "Harrier", "note": None},
        tokens_out=12,
        scores={"fields": 0.5},
    )

    def value(self, text, answer=ANSWER):
        return make_measure("expression", {"is": text}).score(answer)

    def test_values(self):
        for text, wanted in [
            ("json.category == reference_json.category", 1),
            ("json.n / 8", 0.5),
            ("1 - json.n / 8 * 2", 0),
            ("min(1, tokens_out / 24)", 0.5),
            ("'b' in json.tags and not ('c' in json.tags)", 1),
            ("json.tags[1] == 'b'", 1),
            ("exists(inputs.note) or starts(inputs.vessel, 'Har')", 1),
            ("scores['fields'] >= 0.5", 1),
            ("if(words(output) > 100, 0, 0.25)", 0.25),
            ("matches(output, '\\\\bdelay\\\\b')", 1),
            ("-1 < 0 and 2 + 3 * 4 == 14", 1),
            ("number('1,200') == 1200", 1),
            ("json.missing == null", 1),
        ]:
            with self.subTest(text=text):
                self.assertEqual(self.value(text).value, wanted)

    def test_what_has_no_value_says_why_and_where(self):
        for text, words in [
            ("json.n / 0", "position 8: divides by zero"),
            ("json.n", "4 is not between 0 and 1"),
            ("inputs.note", "null here"),
            ("json.category + 1", "position 15: a number is wanted here, not delay"),
            ("json.n and true", "position 1: true or false is wanted"),
        ]:
            with self.subTest(text=text):
                found = self.value(text)
                self.assertIsNone(found.value)
                self.assertIn(words, found.why)
        self.assertIn("not JSON", self.value("json.n == 1", Answer("no")).why)
        self.assertIn("false at position 8", self.value("json.n < 3").why)

    def test_mistakes_are_refused_with_their_position(self):
        for text, words in [
            ("words(output", "position 13: ',' is expected, not 'the end'"),
            ("output = 'a'", "position 8: '=' is not understood"),
            ("'abc", "position 1: a text is not closed"),
            ("__import__('os')", "no function '__import__'"),
            ("os.system", "there is no 'os'"),
            ("length()", "length takes 1 values, not 0"),
            ("(" * 60 + "1" + ")" * 60, "nested more than 40 deep"),
            ("1 2", "position 3: '2' is not expected"),
            ("matches(output, '(')", "no regular expression"),
            ("x" * 3000, "at most 2000"),
        ]:
            with self.subTest(text=text[:30]), self.assertRaises(MeasureError) as caught:
                make_measure("expression", {"is": text})
            self.assertIn(words, caught.exception.message)

    @given(st.text(alphabet="ab01 ()+-*/<>=.,'\"[]andornotinlgth", max_size=40))
    def test_whatever_is_typed_is_scored_or_refused(self, text):
        try:
            measure = make_measure("expression", {"is": text})
        except MeasureError:
            return
        found = measure.score(self.ANSWER)
        self.assertTrue(found.value is None or 0 <= found.value <= 1)

    def test_an_expression_sees_the_scores_above_it(self):
        card = read_scorecard(
            {
                "nomikon": "scorecard/1",
                "measures": [
                    {"measure": "questions", "max": 0, "weight": 0},
                    {"measure": "expression", "name": "mine", "is": "scores.questions == 1"},
                ],
            }
        )
        self.assertEqual(score_answer(card, Answer("Why?")).total.value, 0)
        self.assertEqual(score_answer(card, Answer("So.")).total.value, 1)
