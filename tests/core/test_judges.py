"""Judges: what they are asked, how strictly replies are read, and how far they can be trusted."""

import json
import unittest
from importlib.metadata import EntryPoint

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from nomikon.core.errors import MeasureError, PlanError, ScorecardError
from nomikon.core.measures import (
    Answer,
    JudgeReply,
    Turn,
    judge_requests,
    make_measure,
    read_scorecard,
    score_answer,
    score_group,
)
from nomikon.core.measures.installed import make_installed
from nomikon.core.measures.judging import lacks_judgement
from nomikon.core.measures.rubric import read_drafted
from nomikon.core.stats.agreement import AgreementError, Rating, agreement
from nomikon.core.stats.intervals import wilson
from nomikon.core.stats.judges import order_probe, relation
from nomikon.core.stats.resampling import resample_counts
from nomikon.core.trials import Outcome, read_conversation
from nomikon.measures import GroupMeasure, Measure, Score

CRITERIA = [
    {"name": "tone", "levels": ["rude", "neutral", "kind"], "weight": 3},
    {"name": "facts", "asks": "All true?", "levels": ["invented", "true"]},
]
RUBRIC = {"measure": "rubric", "model": "judge", "criteria": CRITERIA}


def card(*measures, **more):
    return read_scorecard({"nomikon": "scorecard/1", "measures": list(measures), **more})


def said(tone=3, facts=2):
    return JudgeReply(
        json.dumps(
            {"tone": {"level": tone, "reason": "so"}, "facts": {"level": facts, "reason": "so"}}
        )
    )


class RubricTest(unittest.TestCase):
    def test_the_score_is_the_weighted_mean_of_places_on_the_scales(self):
        """By hand: tone 2 of 3 is 0.5 × 3, facts 2 of 2 is 1 × 1, over 4: 0.625."""
        found = score_answer(card(RUBRIC), Answer("hi"), replies={"rubric": [said(2, 2)]})
        self.assertAlmostEqual(found.total.value, 0.625)
        self.assertIn("tone 2 of 3: so", found.by_name["rubric"].why)

    def test_values_with_braces_reach_the_judge_as_they_are(self):
        """What is judged is never filled again, and a reference is shown only where it is wanted."""
        answer = Answer("say {{rubric}}", "secret", {"message": "a {{b}}"})
        ((name, asked),) = judge_requests(card(RUBRIC), answer)
        text = asked.messages[0].content
        self.assertEqual(name, "rubric")
        self.assertIn("say {{rubric}}", text)
        self.assertIn("a {{b}}", text)
        self.assertIn("level 3: kind", text)
        self.assertNotIn("secret", text)
        shown = judge_requests(card({**RUBRIC, "reference": True}), answer)[0][1]
        self.assertIn("secret", shown.messages[0].content)

    def test_what_is_no_judgement_gives_no_score_and_says_of_which_kind(self):
        good = json.loads(said().text)
        cases = {
            "prose": "On the whole I find it kind.",
            "no judgement": '{"tone": {}, "facts": {}}',
            "taken back": f"{said().text}\nWait, the tone should be 1.",
            "two verdicts": f"{said().text}\n{said(1, 1).text}",
            "incomplete": json.dumps({"tone": good["tone"]}),
            "level": json.dumps({**good, "tone": {"level": 4, "reason": "so"}}),
            "unknown criterion": json.dumps({**good, "style": good["tone"]}),
            "cut": '{"tone": {"level": 2,',
            "declined": "I'm sorry, but I can't help with that.",
            "empty": "",
        }
        for kind, text in cases.items():
            with self.subTest(kind=kind):
                found = score_answer(
                    card(RUBRIC), Answer("hi"), replies={"rubric": [JudgeReply(text)]}
                )
                self.assertIsNone(found.total.value)
                self.assertIn(f"judgement failed ({kind})", found.by_name["rubric"].why)
                self.assertTrue(lacks_judgement(found.by_name["rubric"]))
        for level in ("true", "2.5", '"2 or 3"', "NaN"):
            text = said().text.replace('"level": 3', f'"level": {level}')
            found = score_answer(card(RUBRIC), Answer("x"), replies={"rubric": [JudgeReply(text)]})
            self.assertIsNone(found.total.value, level)

    def test_what_stands_around_a_judgement_does_not_hide_it(self):
        rubric = card(RUBRIC)
        for text in (f"```json\n{said().text}\n```", f"Sure.\n{said().text}"):
            found = score_answer(rubric, Answer("x"), replies={"rubric": [JudgeReply(text)]})
            self.assertEqual(found.total.value, 1.0)

    def test_several_judgements_are_averaged_and_every_second_has_the_other_order(self):
        twice = card({**RUBRIC, "times": 2})
        asked = [r for _, r in judge_requests(twice, Answer("hi"))]
        places = [
            (a.messages[0].content.index('"tone"'), a.messages[0].content.index('"facts"'))
            for a in asked
        ]
        self.assertEqual([x < y for x, y in places], [True, False])
        found = score_answer(twice, Answer("hi"), replies={"rubric": [said(3, 2), said(1, 1)]})
        self.assertAlmostEqual(found.total.value, 0.5)
        self.assertIn("2 judgements", found.by_name["rubric"].why)

    def test_what_is_no_answer_is_scored_0_and_never_judged(self):
        empty = Answer("")
        self.assertEqual(judge_requests(card(RUBRIC), empty), [])
        self.assertEqual(score_answer(card(RUBRIC), empty).total.value, 0.0)

    def test_bad_parameters_are_refused_with_their_place(self):
        bad = [
            ({"criteria": []}, "criteria"),
            ({"criteria": [{"name": "a", "levels": ["only"]}]}, "criteria"),
            ({"criteria": [*CRITERIA, CRITERIA[0]]}, "criteria"),
            ({"criteria": [{**CRITERIA[0], "weight": float("nan")}]}, "criteria"),
            ({"instruction": "Judge {{answer}}"}, "instruction"),
            ({"instruction": "{{rubric}} {{answer}} {{arm}}"}, "instruction"),
            ({"times": 0}, "times"),
            ({"model": ""}, "model"),
            ({"settings": {"temperature": 9}}, "settings"),
        ]
        for change, field in bad:
            with self.subTest(change=change), self.assertRaises(ScorecardError) as caught:
                card({**RUBRIC, **change})
            self.assertEqual(caught.exception.field, f"measures.0.{field}")

    def test_a_drafted_rubric_is_read_as_strictly_as_a_typed_one(self):
        self.assertEqual(
            read_drafted(json.dumps({"criteria": CRITERIA}))[0].levels, ("rude", "neutral", "kind")
        )
        for text in ("Sure!", "[]", '{"criteria": [{"name": "x"}]}', "[" * 10_000):
            with self.subTest(text=text[:20]), self.assertRaises(MeasureError):
                read_drafted(text)


class PreferenceTest(unittest.TestCase):
    def setUp(self):
        self.card = card({"measure": "preferred", "model": "judge", "asks": "the kinder one"})

    def score(self, *choices):
        replies = [JudgeReply(json.dumps({"better": c, "reason": "so"})) for c in choices]
        return score_answer(self.card, Answer("mine", "ref"), replies={"preferred": replies})

    def test_both_orders_count_and_a_choice_that_turns_is_half(self):
        self.assertEqual(self.score("first", "second").total.value, 1.0)
        self.assertEqual(self.score("second", "first").total.value, 0.0)
        turned = self.score("first", "first")
        self.assertEqual(turned.total.value, 0.5)
        self.assertIn("changes with the order", turned.by_name["preferred"].why)
        self.assertEqual(self.score("neither", "second").total.value, 0.75)
        self.assertIsNone(self.score("both", "second").total.value)

    def test_each_stands_first_once_and_without_a_reference_nobody_is_asked(self):
        there, back = (
            r.messages[0].content for _, r in judge_requests(self.card, Answer("A", "B"))
        )
        self.assertLess(there.index("\nA\n"), there.index("\nB\n"))
        self.assertLess(back.index("\nB\n"), back.index("\nA\n"))
        self.assertEqual(judge_requests(self.card, Answer("A")), [])
        found = score_answer(self.card, Answer("A")).by_name["preferred"]
        self.assertEqual((found.value, found.why), (None, "the case has no reference"))
        self.assertFalse(lacks_judgement(found))


class GroupTest(unittest.TestCase):
    def test_consistency_is_the_mean_likeness_to_the_other_repeats(self):
        """By hand: of yes, Yes., no the first two are alike with one of two, the third with none."""
        both = card({"measure": "consistency"}, {"measure": "length", "unit": "words", "max": 1})
        ok = Outcome("answered")
        found = score_group(both, [Answer("yes"), Answer("Yes."), Answer("no")], [ok] * 3, [{}] * 3)
        self.assertEqual([s.by_name["consistency"].value for s in found], [0.5, 0.5, 0.0])
        self.assertEqual([s.total.value for s in found], [0.75, 0.75, 0.5])

    def test_alone_it_says_nothing_and_the_total_waits(self):
        alone = card({"measure": "consistency"})
        self.assertIsNone(score_answer(alone, Answer("yes")).total.value)
        one = score_group(alone, [Answer("yes")], [Outcome("answered")], [{}])[0]
        self.assertIn("one repeat only", one.by_name["consistency"].why)

    def test_one_key_of_json_answers_can_be_what_is_compared(self):
        measure = make_measure("consistency", {"field": "label"})
        texts = ['{"label": "a", "x": 1}', '{"x": 2, "label": "a"}', "no json"]
        self.assertEqual(
            [s.value for s in measure.score_group([Answer(t) for t in texts])], [0.5, 0.5, 0.0]
        )


class ConversationMeasureTest(unittest.TestCase):
    TURNS = (
        Turn("user", "hi"),
        Turn("assistant", "one"),
        Turn("user", "so"),
        Turn("assistant", "two two"),
    )

    def test_a_measure_sees_the_last_answer_all_or_one_turn(self):
        word = {"measure": "contains", "all": ["one"]}
        seen = card(
            word,
            {**word, "name": "all", "turn": "all"},
            {**word, "name": "first", "turn": 1},
            {**word, "name": "third", "turn": 3, "weight": 0},
        )
        found = score_answer(seen, Answer("two two", turns=self.TURNS))
        values = [s.value for s in found.by_name.values()]
        self.assertEqual(values, [0.0, 1.0, 1.0, None])
        with self.assertRaises(ScorecardError):
            card({**word, "turn": 0})

    def test_a_judge_reads_the_whole_unless_told_otherwise(self):
        whole = judge_requests(card(RUBRIC), Answer("two two", turns=self.TURNS))[0][1]
        self.assertIn("user:\nhi\n\nassistant:\none", whole.messages[0].content)
        last = judge_requests(
            card({**RUBRIC, "turn": "last"}), Answer("two two", turns=self.TURNS)
        )[0][1]
        self.assertNotIn("assistant:\none", last.messages[0].content)

    def test_a_conversation_is_a_list_of_turns_or_a_user_to_be_played(self):
        self.assertEqual(read_conversation(["a", "b"]).as_plain(), ["a", "b"])
        played = {"user": "A tired walker", "most": 3}
        self.assertEqual(read_conversation(played).as_plain(), played)
        for bad in (
            [],
            ["a", " "],
            ["a"] * 41,
            {"user": ""},
            {"user": "x", "most": 0},
            {"x": 1},
            "a",
        ):
            with self.subTest(bad=str(bad)[:20]), self.assertRaises(PlanError):
                read_conversation(bad)


class Shouting(Measure):
    name = "shouting"
    description = "1 for capitals."

    def score(self, answer):
        if answer.output == "crash":
            raise KeyError("x")
        if answer.output == "far":
            return Score(7.0, "too far")
        return Score(float(answer.output.isupper()), "capitals")


class Together(GroupMeasure):
    name = "together"
    description = "Too few."

    def score_group(self, answers):
        return []


class InstalledTest(unittest.TestCase):
    def entry(self, name):
        return EntryPoint(name.lower(), f"tests.core.test_judges:{name}", "nomikon.measures")

    def test_a_measure_of_ones_own_scores_and_its_mistakes_are_missing_scores(self):
        own = make_installed(self.entry("Shouting"), {})
        self.assertEqual(own.score(Answer("HEY")).value, 1.0)
        for text, told in (("crash", "KeyError"), ("far", "from 0 to 1")):
            found = own.score(Answer(text))
            self.assertIsNone(found.value)
            self.assertIn(told, found.why)
        group = make_installed(self.entry("Together"), {})
        self.assertIn("0 scores for 2", group.score_group([Answer("a"), Answer("b")])[0].why)

    def test_what_does_not_load_or_is_none_is_refused(self):
        for name in ("Nowhere", "CRITERIA", "InstalledTest"):
            with self.subTest(name=name), self.assertRaises(MeasureError):
                make_installed(self.entry(name), {})
        with self.assertRaisesRegex(MeasureError, "does not take"):
            make_installed(self.entry("Shouting"), {"loud": 1})


class ThresholdsInTheCardTest(unittest.TestCase):
    def test_they_name_a_measure_or_the_total_and_one_limit(self):
        read = card(RUBRIC, thresholds=[{"at_least": 0.8}, {"measure": "rubric", "at_most": 0.9}])
        self.assertEqual([t.measure for t in read.thresholds], ["total", "rubric"])
        self.assertEqual(read.thresholds[1].limits, {"at_most": 0.9})
        for bad in (
            {"measure": "x", "at_least": 1},
            {},
            {"at_least": 2},
            {"at_least": 0, "at_most": 1},
            {"at_least": True},
        ):
            with self.subTest(bad=bad), self.assertRaises(ScorecardError):
                card(RUBRIC, thresholds=[bad])


def ratings(rows):
    return [
        Rating(str(unit), reader, value)
        for reader, values in rows.items()
        for unit, value in enumerate(values)
        if value is not None
    ]


# Krippendorff (2011), "Computing Krippendorff's Alpha-Reliability", example C: four observers,
# twelve units, with gaps. Published: nominal 0.743, ordinal 0.815, interval 0.849.
PUBLISHED = ratings(
    {
        "A": [1, 2, 3, 3, 2, 1, 4, 1, 2, None, None, None],
        "B": [1, 2, 3, 3, 2, 2, 4, 1, 2, 5, None, 3],
        "C": [None, 3, 3, 3, 2, 3, 4, 2, 2, 5, 1, None],
        "D": [1, 2, 3, 3, 2, 4, 4, 1, 2, 5, 1, None],
    }
)


class AgreementTest(unittest.TestCase):
    def test_readers_who_agree_on_all_may_part_on_the_next_and_few_units_say_nothing(self):
        same = [Rating(str(i), r, "ab"[i % 2]) for i in range(20) for r in "xy"]
        found = agreement(same, "nominal", n_resamples=2000)
        self.assertEqual((found.alpha, found.high), (1.0, 1.0))
        self.assertLess(found.low, 0.9)
        for short, why in ((same[:8], "4 units say too little"), (
            [Rating(str(i), r, "b" if i == 0 else "a") for i in range(20) for r in "xy"],
            "too one-sided",
        )):  # fmt: skip
            told = agreement(short, "nominal", n_resamples=100)
            self.assertEqual((told.alpha, told.low), (1.0, None))
            self.assertIn(why, told.why_null)

    def test_alpha_is_the_published_one_on_every_scale(self):
        for scale, wanted in (("nominal", 0.743), ("ordinal", 0.815), ("interval", 0.849)):
            with self.subTest(scale=scale):
                found = agreement(PUBLISHED, scale, n_resamples=500)
                self.assertAlmostEqual(found.alpha, wanted, places=3)
                self.assertLess(found.low, found.alpha)
                self.assertLess(found.alpha, found.high + 1e-12)

    def test_kappa_is_the_textbook_one(self):
        """Cohen (1960): 20 yes-yes, 5 yes-no, 10 no-yes, 15 no-no give 0.4."""
        a = ["y"] * 25 + ["n"] * 25
        b = ["y"] * 20 + ["n"] * 5 + ["y"] * 10 + ["n"] * 15
        found = agreement(ratings({"A": a, "B": b}), "nominal", n_resamples=100)
        self.assertAlmostEqual(found.kappa[0].kappa, 0.4, places=12)

    def test_kappa_weighs_by_the_scale(self):
        """By hand from a 3 × 3 table: linear weights by rank, squared by value."""
        rows = ratings({"A": [1, 1, 2, 3, 3, 2], "B": [1, 2, 2, 3, 1, 3]})
        x, y = np.array([1, 1, 2, 3, 3, 2]), np.array([1, 2, 2, 3, 1, 3])
        for scale, power in (("ordinal", 1), ("interval", 2)):
            seen = np.mean(np.abs(x - y) ** power)
            chance = np.mean(np.abs(x[:, None] - y[None, :]) ** power)
            found = agreement(rows, scale, n_resamples=50).kappa[0].kappa
            self.assertAlmostEqual(found, 1 - seen / chance, places=12)

    def test_without_variation_or_pairs_there_is_no_figure_and_it_says_why(self):
        same = agreement(ratings({"A": [1, 1], "B": [1, 1]}), "interval")
        self.assertEqual((same.alpha, same.kappa[0].kappa), (None, None))
        self.assertTrue(same.why_null)
        self.assertIsNone(agreement(ratings({"A": [1]}), "nominal").alpha)

    def test_bad_ratings_are_refused(self):
        with self.assertRaises(AgreementError):
            agreement(ratings({"A": ["x"], "B": ["y"]}), "ordinal")
        with self.assertRaises(AgreementError):
            agreement([Rating("1", "A", 1), Rating("1", "A", 2)], "nominal")
        with self.assertRaises(AgreementError):
            agreement(PUBLISHED, "ratio")

    @given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 4)), min_size=2, max_size=30))
    def test_alpha_is_the_same_whoever_comes_first_and_1_where_all_agree(self, pairs):
        there = ratings({"A": [a for a, _ in pairs], "B": [b for _, b in pairs]})
        back = ratings({"A": [b for _, b in pairs], "B": [a for a, _ in pairs]})
        for scale in ("nominal", "ordinal", "interval"):
            x, y = (agreement(r, scale, n_resamples=50).alpha for r in (there, back))
            self.assertEqual(x is None, y is None)
            if x is not None:
                self.assertAlmostEqual(x, y, places=9)
            same = agreement(
                ratings({"A": [a for a, _ in pairs], "B": [a for a, _ in pairs]}),
                scale,
                n_resamples=50,
            )
            if same.alpha is not None:
                self.assertAlmostEqual(same.alpha, 1.0, places=9)


class ProbeTest(unittest.TestCase):
    def test_the_relation_is_scipys_rank_correlation_with_an_interval_around_it(self):
        rng = np.random.default_rng(3)
        x = rng.normal(size=60)
        y = x + rng.normal(size=60)
        found = relation(list(x), list(y), [str(i) for i in range(60)])
        self.assertAlmostEqual(found.rho, stats.spearmanr(x, y).statistic, places=12)
        self.assertLess(found.low, found.rho)
        self.assertGreater(found.high, found.rho)
        self.assertIsNone(relation([1.0] * 9, list(range(9)), list("abcdefghi")).rho)
        self.assertIsNone(relation([1.0, 2.0], [1.0, 2.0], ["a", "b"]).rho)

    def test_order_is_told_from_pairs_that_turn(self):
        found = order_probe(
            [("first", "second"), ("first", "first"), ("second", "second"), ("neither", "first")]
        )
        self.assertEqual((found.pairs, found.turned), (4, 2))
        # A half, one, none and one: a pair counts once, however often it was asked.
        self.assertAlmostEqual(found.first, 2.5 / 4)
        low, high = wilson(2.5 / 4, 4)
        self.assertEqual((found.low, found.high), (low, high))

    def test_ranks_are_those_of_each_resample(self):
        rng = np.random.default_rng(8)
        x = rng.exponential(size=16).round(1)
        y = (x + rng.exponential(size=16)).round(1)
        found = relation(list(x), list(y), [f"{i:02}" for i in range(16)], n_resamples=200)
        each = []
        for counts in resample_counts(16, n_resamples=200, seed=0):
            for row in counts.astype(int):
                drawn = np.repeat(np.arange(16), row)
                each.append(stats.spearmanr(x[drawn], y[drawn]).statistic)
        low, high = np.quantile(each, [0.025, 0.975])
        self.assertAlmostEqual(found.low, low, places=9)
        self.assertAlmostEqual(found.high, high, places=9)
