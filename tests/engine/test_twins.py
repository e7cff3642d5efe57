"""Twins that a measure has asked: what is sent, what it counts for, where the arm cannot be asked."""

import unittest
from dataclasses import replace

from nomikon.core.measures import Answer as Seen
from nomikon.core.measures import make_measure
from nomikon.core.prompts import Message
from nomikon.core.trials import ANSWERED, Outcome
from nomikon.engine.results import taken_by
from nomikon.engine.units import TWIN, CaseSpec, HadOutput
from nomikon.models import Answer, CallFailure, Usage
from tests.engine.test_coordinator import FakeCaller, MemoryStore, run, spec

TWINS = {"measure": "twins", "kinds": ["filler", "greeting", "paragraph"], "weight": 0}
CARD = {"nomikon": "scorecard/1", "measures": [{"measure": "normalised-match"}, TWINS]}
TWO_STEPS = (
    Message("user", "List what {{x}} is like.", step="one"),
    Message("user", "Is {{steps.one}} wet?", step="two"),
)


def with_twins(**more):
    return replace(spec(1, 2, **more), scorecard=CARD, judges={"twins": None})


def inputs_of_twins(case):
    measure = make_measure("twins", {k: v for k, v in TWINS.items() if k == "kinds"})
    return [dict(r.inputs) for r in measure.requests(Seen("yes", inputs=case.inputs))]


class TwinsTest(unittest.TestCase):
    def test_a_twin_is_asked_by_the_very_request_it_would_make_as_a_case(self):
        trial = with_twins()
        store = MemoryStore(trial)
        run(store, FakeCaller())
        first = trial.cases[0]
        result = next(r for r in store.results.values() if r.case_key == first.key)
        asked = [c.answer_key for c in result.calls if c.part == TWIN]
        self.assertEqual(len(asked), 3)
        cases = tuple(CaseSpec(f"t{i}", x) for i, x in enumerate(inputs_of_twins(first)))
        alone = MemoryStore(replace(spec(1, 1), cases=cases))
        run(alone, FakeCaller())
        keys = {r.case_key: r.calls[0].answer_key for r in alone.results.values()}
        self.assertEqual(asked, [keys[c.key] for c in cases])

    def test_twins_are_paid_for_and_no_part_of_what_serving_takes(self):
        store = MemoryStore(with_twins())
        run(store, FakeCaller())
        for result in store.results.values():
            took = taken_by(result.calls)
            self.assertEqual((took.tokens_in, took.cost), (10, 14_000))
            self.assertEqual(took.newly, 4 * 14_000)
            self.assertEqual(result.scores["twins"].value, 1)

    def test_the_twin_of_a_prompt_of_steps_goes_through_all_of_them(self):
        store = MemoryStore(with_twins(messages=TWO_STEPS))
        run(store, FakeCaller())
        result = next(iter(store.results.values()))
        self.assertEqual([c.part for c in result.calls], ["answer"] * 2 + [TWIN] * 6)
        self.assertEqual({c.step for c in result.calls if c.part == TWIN}, {"twins"})
        self.assertEqual(result.scores["twins"].value, 1)

    def test_a_failed_twin_leaves_the_answer_whole(self):
        def reply(body):
            if "garden" in str(body) or "novel" in str(body):
                raise CallFailure("server_error", "no", attempts=1)
            return Answer("yes", "stop", Usage(10, 2), 5.0, 1.0, "m 1")

        store = MemoryStore(with_twins())
        self.assertEqual(run(store, FakeCaller(reply)), "complete")
        for result in store.results.values():
            self.assertEqual((result.outcome, result.total), ("answered", 1.0))
            self.assertIsNone(result.scores["twins"].value)
            self.assertIn("failed", result.scores["twins"].why)

    def test_answers_that_were_brought_in_are_asked_nothing(self):
        trial = with_twins()
        arm = replace(trial.arms[0], connection=None)
        had = {
            (arm.key, c.key, 0): HadOutput(c.key, "yes", "stop", Outcome(ANSWERED, ""))
            for c in trial.cases
        }
        store = MemoryStore(replace(trial, arms=(arm,)), done=list(had))
        store.to_judge, store.before = had, set()
        caller = FakeCaller()
        run(store, caller)
        self.assertEqual(caller.bodies, [])
        whys = {r.scores["twins"].why for r in store.results.values()}
        self.assertEqual(len(whys), 1)
        self.assertIn("brought in", whys.pop())
