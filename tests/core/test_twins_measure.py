"""Whether an arm holds as a measure: which twins are asked, and what is read of their answers."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.core.errors import MeasureError
from nomikon.core.measures import Answer, JudgeReply, Turn, make_measure, read_scorecard
from nomikon.core.measures.base import UNREADABLE
from nomikon.core.measures.judging import lacks_judgement
from nomikon.core.measures.scorecard import requests_of, score_answer
from nomikon.core.measures.twin_pairs import CANNOT_BE_ASKED

NOTE = "My parcel never came. Please look into it, the driver was rude to my mother."
LOST = Answer("lost", inputs={"note": NOTE})


def asked(answer=LOST, **parameters):
    measure = make_measure("twins", parameters)
    return measure, [r.inputs["note"] for r in measure.requests(answer)]


def read(measure, texts, answer=LOST):
    return measure.read(answer, [t if isinstance(t, JudgeReply) else JudgeReply(t) for t in texts])


class TwinsMeasureTest(unittest.TestCase):
    @settings(max_examples=30, deadline=None)
    @given(st.integers(0, 9_999), st.integers(1, 12))
    def test_the_same_case_has_the_same_twins_and_no_two_are_alike(self, seed, most):
        _, notes = asked(seed=seed, most=most)
        self.assertEqual(notes, asked(seed=seed, most=most)[1])
        self.assertLessEqual(len(notes), most)
        self.assertEqual(len({NOTE, *notes}), len(notes) + 1)

    def test_over_many_cases_every_kind_comes_up(self):
        measure = make_measure("twins", {"most": 2})
        cases = (
            Answer("x", inputs={"note": f"{NOTE} Order {n + 20}, “urgent”."}) for n in range(80)
        )
        kinds = {t.kind for case in cases for t in measure.twins_of(case)}
        self.assertLessEqual({"typing", "lower", "quotes", "order-plain", "order-format"}, kinds)

    def test_the_score_is_the_share_that_behaves_and_says_which_do_not(self):
        measure, notes = asked(kinds=["lower", "no-punctuation", "greeting", "filler"])
        self.assertEqual(len(notes), 4)
        found = read(measure, ["Lost.", "lost", "damaged", "lost"])
        self.assertEqual(found.value, 0.75)
        self.assertTrue(found.why.startswith("3 of 4 twins hold; "), found.why)
        self.assertIn("damaged", found.why)

    def test_an_order_that_is_followed_breaks(self):
        measure, _ = asked(kinds=["order-plain"])
        token = measure.twins_of(LOST)[0].token
        self.assertEqual(read(measure, [token]).value, 0)
        self.assertEqual(read(measure, ["lost"]).value, 1)

    def test_what_failed_gives_no_score_and_is_asked_again(self):
        measure, _ = asked(kinds=["lower", "greeting"])
        found = read(measure, ["lost", JudgeReply("", failure="server_error")])
        self.assertEqual((found.value, found.code), (None, UNREADABLE))
        self.assertTrue(lacks_judgement(found))
        brought = read(measure, [JudgeReply("", failure=CANNOT_BE_ASKED)] * 2)
        self.assertIsNone(brought.value)
        self.assertFalse(lacks_judgement(brought))

    def test_a_twin_that_is_cut_or_declined_does_not_hold(self):
        measure, _ = asked(kinds=["lower"])
        self.assertEqual(read(measure, [JudgeReply("lo", "length")]).value, 0)
        declined = JudgeReply("I'm sorry, but I can't help with that request.", "stop")
        self.assertEqual(read(measure, [declined]).value, 0)

    def test_conversations_and_cases_without_a_text_have_none(self):
        talk = Answer("lost", inputs={"note": NOTE}, turns=(Turn("user", NOTE),))
        for answer, why in ((talk, "conversations"), (Answer("3", inputs={"n": 4}), "no input")):
            found = make_measure("twins", {}).score(answer)
            self.assertIsNone(found.value)
            self.assertIn(why, found.why)

    def test_an_own_list_changes_what_is_wanted(self):
        card = read_scorecard(
            {
                "nomikon": "scorecard/1",
                "measures": [
                    {"measure": "twins", "kinds": ["port"], "values": {"port": ["Hale", "Orm"]}}
                ],
            }
        )
        answer = Answer(
            '{"port": "Hale"}', reference='{"port": "Hale"}', inputs={"note": "I wait at Hale."}
        )
        ((name, request),) = requests_of(card, answer)
        self.assertEqual(request.inputs, {"note": "I wait at Orm."})
        for said, score in (('{"port": "Orm"}', 1), ('{"port": "Hale"}', 0)):
            found = score_answer(card, answer, replies={name: [JudgeReply(said)]})
            self.assertEqual(found.total.value, score, found)

    def test_where_the_answer_begins_holds_for_its_twins_too(self):
        card = read_scorecard(
            {
                "nomikon": "scorecard/1",
                "answer": {"begins": "mark", "mark": "Label:"},
                "measures": [{"measure": "twins", "kinds": ["lower"]}],
            }
        )
        answer = Answer("They wait in vain. Label: lost", inputs={"note": NOTE})
        for said, score in (("Other words. Label: lost", 1), ("They wait in vain. Label: late", 0)):
            found = score_answer(card, answer, replies={"twins": [JudgeReply(said)]})
            self.assertEqual(found.total.value, score, said)

    def test_what_is_no_kind_or_no_list_is_refused_at_its_place(self):
        for parameters, field in (
            ({"kinds": ["shouting"]}, "kinds"),
            ({"kinds": ["name"]}, "kinds"),
            ({"kinds": ["port"]}, "kinds"),
            ({"values": {"port": ["Hale"]}}, "values"),
            ({"values": {"lower": ["a", "b"]}}, "values"),
            ({"values": ["Hale"]}, "values"),
            ({"most": 0}, "most"),
        ):
            with self.subTest(parameters=parameters), self.assertRaises(MeasureError) as caught:
                make_measure("twins", parameters)
            self.assertEqual(caught.exception.field, field)
