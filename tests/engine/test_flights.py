"""Equal requests under way are paid once; what broke off is counted where it was asked."""

import asyncio
import unittest
from dataclasses import replace

from nomikon.engine.coordinator import run_trial
from nomikon.engine.executors import LocalExecutor
from nomikon.engine.flights import Flights
from nomikon.engine.units import CaseSpec
from nomikon.models import Answer, CallFailure, Usage
from nomikon.models.types import Waste
from tests.asking import AsyncCase
from tests.engine.test_coordinator import MemoryStore, spec


class Slow:
    """Answers after a moment, so that equal requests meet; the first `failing` calls fail."""

    def __init__(self, failing=0, waste=Waste()):  # noqa: B008
        self.calls, self.failing, self.waste = 0, failing, waste

    async def call(self, connection, model, body, *, on_text=None, priority=1):
        self.calls += 1
        number = self.calls
        await asyncio.sleep(0.02)
        if number <= self.failing:
            raise CallFailure("refused", "no", waste=self.waste)
        return Answer("yes", "stop", Usage(10, 2), waste=self.waste)


def same_model(trial):
    """Every arm asks the same of the same model."""
    return replace(trial, arms=tuple(replace(a, model="m") for a in trial.arms))


def run(trial, caller):
    store = MemoryStore(trial)
    asyncio.run(run_trial(store, LocalExecutor(caller)))
    return store.results


class SharedTest(unittest.TestCase):
    def test_equal_requests_of_several_arms_are_asked_and_paid_once(self):
        caller = Slow()
        found = run(same_model(spec(3, 20)), caller)
        self.assertEqual((caller.calls, len(found)), (20, 60))
        self.assertEqual({r.text for r in found.values()}, {"yes"})
        # 10 tokens in at 1 and 2 out at 2 a million, in billionths, once a case.
        self.assertEqual(sum(r.newly_spent for r in found.values()), 20 * 14_000)
        shared = [c for r in found.values() for c in r.calls if c.shared]
        self.assertEqual((len(shared), {c.attempts for c in shared}), (40, {0}))

    def test_where_the_first_fails_one_that_waits_asks(self):
        caller = Slow(failing=1)
        found = run(same_model(spec(3, 1)), caller)
        self.assertEqual(caller.calls, 2)
        self.assertEqual(sorted(r.outcome for r in found.values()), ["answered"] * 2 + ["failed"])

    def test_asked_afresh_is_asked_each_time(self):
        caller = Slow()
        run(replace(same_model(spec(3, 4)), generation=1), caller)
        self.assertEqual(caller.calls, 12)

    def test_equal_cases_are_one_request_and_repeats_are_not(self):
        trial = spec(1, 2, repeats=3)
        twice = tuple(CaseSpec(f"c{i}", {"x": "the same sea"}, "yes") for i in range(2))
        caller = Slow()
        run(replace(trial, cases=twice), caller)
        self.assertEqual(caller.calls, 3)


class StoppedTest(AsyncCase):
    async def test_whoever_is_stopped_leaves_the_others_their_answer(self):
        flights, asked = Flights(), []

        async def ask():
            asked.append(1)
            await asyncio.sleep(0.05)
            return Answer("yes", "stop")

        first, second, third = (asyncio.create_task(flights.answer("k", ask)) for _ in range(3))
        await asyncio.sleep(0.01)
        # One that waits is stopped: nothing else changes. Then the one that asks is.
        second.cancel()
        await asyncio.sleep(0.01)
        self.assertEqual(len(asked), 1)
        first.cancel()
        answer, shared = await third
        self.assertEqual((answer.text, shared, len(asked)), ("yes", False, 2))
        for stopped in (first, second):
            with self.assertRaises(asyncio.CancelledError):
                await stopped


class HeldTest(AsyncCase):
    async def test_an_answer_just_had_is_shared_until_the_store_has_it(self):
        now, asked = [0.0], []
        flights = Flights(clock=lambda: now[0])

        async def ask():
            asked.append(1)
            return Answer("yes", "stop")

        async def long():
            asked.append(1)
            return Answer("x" * 20_000, "stop")

        self.assertFalse((await flights.answer("k", ask))[1])
        self.assertTrue((await flights.answer("k", ask))[1])
        # Later the store tells, which knows whether the model is still the same.
        now[0] = 1_000.0
        self.assertFalse((await flights.answer("k", ask))[1])
        # What is long is not held in memory.
        self.assertFalse((await flights.answer("l", long))[1])
        self.assertFalse((await flights.answer("l", long))[1])
        self.assertEqual(len(asked), 4)


class WasteTest(unittest.TestCase):
    def test_what_broke_off_is_spent_by_answers_and_failures_alike(self):
        (answered,) = run(spec(1, 1), Slow(waste=Waste(100, 50))).values()
        (failed,) = run(spec(1, 1), Slow(failing=1, waste=Waste(100, 50))).values()
        self.assertEqual(answered.newly_spent, 14_000 + 200_000)
        self.assertEqual((failed.outcome, failed.newly_spent), ("failed", 200_000))
        # What an answer took is told without it: measures of cost and tokens look at that.
        self.assertEqual((answered.calls[0].tokens_in, answered.calls[0].cost), (10, 14_000))
