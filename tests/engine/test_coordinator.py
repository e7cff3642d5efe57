"""The engine on fakes: every output once, resumed where it stood, stopped when asked."""

import asyncio
import unittest
from collections import Counter
from dataclasses import replace

from nomikon.core.prompts import Message
from nomikon.engine.coordinator import AHEAD, BATCH, run_trial
from nomikon.engine.executors import LocalExecutor
from nomikon.engine.store import StoreBusyError
from nomikon.engine.units import ArmSpec, CaseSpec, StoredAnswer, TrialSpec
from nomikon.models import Answer, CallFailure, Connection, Usage

CARD = {"nomikon": "scorecard/1", "measures": [{"measure": "normalised-match"}]}


def stored(call, text, finish_reason, tokens_in, tokens_out, cost):
    return StoredAnswer(
        call,
        text=text,
        finish_reason=finish_reason,
        tokens_in=tokens_in,
        tokens_out=tokens_out,
        cost=cost,
        latency_ms=5.0,
        first_ms=1.0,
        model_identity="m 1",
    )


class FakeCaller:
    """Answers at once; `reply` decides what. Counts calls and how many are under way."""

    def __init__(self, reply=None):
        self.reply = reply or (lambda body: Answer("yes", "stop", Usage(10, 2), 5.0, 1.0, "m 1"))
        self.bodies = []
        self.under_way = Counter()
        self.most = Counter()

    async def call(self, connection, model, body, *, on_text=None, priority=1):
        self.bodies.append(body)
        self.under_way[connection.id] += 1
        self.most[connection.id] = max(self.most[connection.id], self.under_way[connection.id])
        try:
            await asyncio.sleep(0)
            return self.reply(body)
        finally:
            self.under_way[connection.id] -= 1


class MemoryStore:
    """A TrialStore in memory that refuses an output it has."""

    def __init__(self, spec, done=(), cancel_after=None, pause_after=None, afresh=None):
        self.spec = spec
        self.pause_after = pause_after
        self.to_judge = {}
        self.afresh = afresh or {}
        self.results = {}
        self.before = set(done)
        self.batches = []
        self.cancel_after = cancel_after
        self.state = None
        self.answers = {}

    def load(self):
        return self.spec

    def done(self):
        return set(self.before)

    def known(self, keys):
        return {k: self.answers[k] for k in keys if k in self.answers}

    def save(self, results):
        self.batches.append(len(results))
        for r in results:
            assert r.key not in self.results and r.key not in self.before, r.key
            self.results[r.key] = r

    def generations(self):
        return self.afresh

    def unjudged(self):
        return self.to_judge

    def asked(self):
        if self.cancel_after is not None and len(self.results) >= self.cancel_after:
            return "stop"
        if self.pause_after is not None and len(self.results) >= self.pause_after:
            return "pause"
        return None

    def finish(self, state):
        self.state = state
        return state


WET = (Message("user", "Is {{x}} wet?"),)


def spec(n_arms=3, n_cases=4, repeats=1, messages=WET, concurrency=8, **arm):
    arms = tuple(
        ArmSpec(
            f"a{i}",
            tuple(messages),
            {"temperature": 0.0},
            f"m{i}",
            Connection("1", 1, "chat-completions", "http://h/v1"),
            1_000_000_000,
            2_000_000_000,
            **arm,
        )
        for i in range(n_arms)
    )
    cases = tuple(CaseSpec(f"c{i}", {"x": f"sea {i}"}, "yes") for i in range(n_cases))
    return TrialSpec("t", arms, cases, repeats, 7, CARD, concurrency)


def run(store, caller):
    async def no_wait(seconds):
        pass

    return asyncio.run(run_trial(store, LocalExecutor(caller), sleep=no_wait))


class RunTrialTest(unittest.TestCase):
    def test_every_output_once_with_scores_cost_and_key(self):
        store = MemoryStore(spec(3, 5, 2))
        caller = FakeCaller()
        self.assertEqual(run(store, caller), "complete")
        self.assertEqual(
            (len(store.results), len(caller.bodies), store.state), (30, 30, "complete")
        )
        result = next(iter(store.results.values()))
        self.assertEqual((result.outcome, result.total), ("answered", 1.0))
        # 10 in at 1 and 2 out at 2 per million: 14 millionths, in billionths 14,000.
        self.assertEqual(result.calls[0].cost, 14_000)
        self.assertEqual(len({r.calls[0].answer_key for r in store.results.values()}), 30)

    def test_the_seed_is_the_trials_plus_the_repeat(self):
        store = MemoryStore(spec(1, 1, 3))
        caller = FakeCaller()
        run(store, caller)
        self.assertEqual(sorted(b["seed"] for b in caller.bodies), [7, 8, 9])

    def test_what_is_stored_is_not_asked_for_again(self):
        whole = MemoryStore(spec(2, 10))
        run(whole, FakeCaller())
        done = list(whole.results)[:13]
        store = MemoryStore(spec(2, 10), done=done)
        caller = FakeCaller()
        run(store, caller)
        self.assertEqual(len(caller.bodies), 7)
        self.assertEqual(set(store.results) | set(done), set(whole.results))

    def test_a_stored_answer_is_not_asked_for_again_and_scored_anew(self):
        first = MemoryStore(spec(1, 4))
        run(first, FakeCaller())
        calls = [r.calls[0] for r in first.results.values()]
        store = MemoryStore(spec(1, 4))
        store.answers = {c.answer_key: stored(9, "no", "stop", 3, 1, 77) for c in calls[:3]}
        caller = FakeCaller()
        run(store, caller)
        self.assertEqual(len(caller.bodies), 1)
        reused = [r for r in store.results.values() if r.calls[0].reused_from == 9]
        self.assertEqual(len(reused), 3)
        self.assertEqual(
            {(r.text, r.total, r.calls[0].cost, r.calls[0].attempts) for r in reused},
            {("no", 0.0, 77, 0)},
        )

    def test_a_wish_to_stop_is_heard_and_what_came_in_is_kept(self):
        store = MemoryStore(spec(4, 400), cancel_after=100)
        caller = FakeCaller()
        self.assertEqual(run(store, caller), "cancelled")
        self.assertEqual(store.state, "cancelled")
        self.assertGreaterEqual(len(store.results), 100)
        self.assertLess(len(caller.bodies), 1600)

    def test_a_budget_stops_new_calls_and_overshoots_by_what_is_in_flight(self):
        # One call costs 14,000 billionths; two may be under way at once.
        store = MemoryStore(replace(spec(1, 100), budget=10 * 14_000))
        caller = FakeCaller()
        self.assertEqual(run(store, caller), "paused")
        self.assertTrue(10 <= len(caller.bodies) <= 10 + 8, len(caller.bodies))
        self.assertEqual(len(store.results), len(caller.bodies))
        more = MemoryStore(
            replace(spec(1, 100), budget=10 * 14_000, spent=10 * 14_000), done=list(store.results)
        )
        self.assertEqual(run(more, caller), "paused")
        self.assertEqual(more.results, {})

    def test_a_budget_that_lasts_changes_nothing(self):
        store = MemoryStore(replace(spec(1, 20), budget=20 * 14_000))
        self.assertEqual(run(store, FakeCaller()), "complete")
        self.assertEqual(len(store.results), 20)

    def test_batches_stay_small(self):
        store = MemoryStore(spec(2, 400))
        run(store, FakeCaller())
        self.assertLessEqual(max(store.batches), BATCH)

    def test_only_some_more_outputs_are_in_hand_than_may_be_asked(self):
        caller = FakeCaller()
        run(MemoryStore(spec(2, 20)), caller)
        self.assertEqual(max(caller.most.values()), 8 + 8 // AHEAD)

    def test_a_pause_keeps_what_is_under_way(self):
        caller = FakeCaller()
        store = MemoryStore(spec(1, BATCH * 3), pause_after=1)
        self.assertEqual((run(store, caller), store.state), ("paused", "paused"))
        self.assertEqual(len(caller.bodies), len(store.results))
        self.assertLess(len(store.results), BATCH * 3)

    def test_an_output_asked_for_afresh_has_a_key_of_its_own(self):
        once, again = MemoryStore(spec(1, 2)), MemoryStore(spec(1, 2))
        again.afresh = {("a0", "c1", 0): 3}
        run(once, FakeCaller())
        run(again, FakeCaller())
        keys = [{k: r.calls[0].answer_key for k, r in x.results.items()} for x in (once, again)]
        self.assertEqual(keys[0]["a0", "c0", 0], keys[1]["a0", "c0", 0])
        self.assertNotEqual(keys[0]["a0", "c1", 0], keys[1]["a0", "c1", 0])
        self.assertEqual(again.results["a0", "c1", 0].generation, 3)

    def test_a_cut_answer_is_continued_joined_and_paid_for(self):
        def reply(body):
            if len(body["messages"]) == 1:
                return Answer("The ferry to Holm is late because of", "length", Usage(10, 8), 5.0)
            self.assertIn("late because of", body["messages"][1]["content"])
            return Answer("late because of fog.", "stop", Usage(30, 5), 5.0)

        store = MemoryStore(replace(spec(1, 1), continuations=2))
        run(store, FakeCaller(reply))
        result = next(iter(store.results.values()))
        self.assertEqual(result.text, "The ferry to Holm is late because of fog.")
        self.assertEqual(
            (result.outcome, [c.continues for c in result.calls]), ("answered", [False, True])
        )
        self.assertEqual(result.newly_spent, sum(c.cost for c in result.calls))

    def test_an_answer_that_stays_cut_is_continued_so_often_and_no_more(self):
        caller = FakeCaller(lambda body: Answer(f"word{len(body['messages'])} and", "length"))
        store = MemoryStore(replace(spec(1, 1), continuations=2))
        run(store, caller)
        result = next(iter(store.results.values()))
        self.assertEqual((len(caller.bodies), result.outcome), (3, "cut"))

    def test_stored_answers_of_later_steps_are_found_too(self):
        messages = (Message("user", "List {{x}}", "one"), Message("user", "{{steps.one}}!", "two"))
        first = MemoryStore(spec(1, 3, messages=messages))
        run(first, FakeCaller())
        second = MemoryStore(spec(1, 3, messages=messages))
        second.answers = {
            c.answer_key: stored(n, c.text, c.finish_reason, 10, 2, c.cost)
            for r in first.results.values()
            for n, c in enumerate(r.calls)
        }
        caller = FakeCaller()
        run(second, caller)
        self.assertEqual((caller.bodies, len(second.results)), ([], 3))

    def test_a_store_that_takes_nothing_for_a_while_loses_nothing(self):
        told = []

        class Full(MemoryStore):
            refusals = 3

            def save(self, results):
                if self.refusals:
                    self.refusals -= 1
                    raise StoreBusyError("the disk is full")
                super().save(results)

        async def sleep(seconds):
            await asyncio.sleep(0)

        store, caller = Full(spec(2, 30)), FakeCaller()
        state = asyncio.run(
            run_trial(store, LocalExecutor(caller), sleep=sleep, on_trouble=told.append)
        )
        self.assertEqual((state, len(store.results), len(caller.bodies)), ("complete", 60, 60))
        self.assertEqual(told, ["the disk is full"] * 3 + [None])

    def test_failures_are_classified_and_stop_nothing(self):
        def reply(body):
            if body["model"] == "m1":
                raise CallFailure("server_error", "HTTP 500: oops", attempts=4)
            return Answer("yes", "stop")

        store = MemoryStore(spec(2, 5))
        run(store, FakeCaller(reply))
        failed = [r for r in store.results.values() if r.failure]
        self.assertEqual({r.failure for r in failed}, {"server_error"})
        self.assertEqual((len(failed), failed[0].total, failed[0].calls[0].attempts), (5, None, 4))
        self.assertIn("HTTP 500", failed[0].why)

    def test_a_hole_in_the_prompt_is_never_sent(self):
        store = MemoryStore(spec(1, 2, messages=(Message("user", "{{y}}"),)))
        caller = FakeCaller()
        run(store, caller)
        self.assertEqual(caller.bodies, [])
        self.assertEqual({r.failure for r in store.results.values()}, {"unsendable"})

    def test_missing_usage_is_estimated_and_says_so(self):
        store = MemoryStore(spec(1, 1))
        run(store, FakeCaller(lambda body: Answer("yes", "stop")))
        call = next(iter(store.results.values())).calls[0]
        self.assertTrue(call.tokens_estimated)
        self.assertGreater(call.cost, 0)

    def test_steps_are_calls_of_their_own_from_a_clean_context(self):
        messages = (
            Message("system", "Brief."),
            Message("user", "List {{x}}", "one"),
            Message("user", "Use {{steps.one}}", "two"),
        )
        store = MemoryStore(spec(1, 1, messages=messages))
        caller = FakeCaller(lambda body: Answer("yes" if "Use" in str(body) else "A list", "stop"))
        run(store, caller)
        self.assertEqual(
            [[m["content"] for m in b["messages"]] for b in caller.bodies],
            [["Brief.", "List sea 0"], ["Brief.", "Use A list"]],
        )
        result = next(iter(store.results.values()))
        self.assertEqual((len(result.calls), result.text, result.total), (2, "yes", 1.0))

    def test_a_step_cut_short_feeds_no_later_step(self):
        messages = (Message("user", "List {{x}}", "one"), Message("user", "{{steps.one}}", "two"))
        store = MemoryStore(spec(1, 1, messages=messages))
        caller = FakeCaller(lambda body: Answer("half a", "length"))
        run(store, caller)
        result = next(iter(store.results.values()))
        self.assertEqual((len(caller.bodies), result.outcome, result.total), (1, "cut", 0.0))

    def test_a_slow_model_does_not_keep_a_stop_waiting(self):
        class Slow(FakeCaller):
            async def call(self, connection, model, body, *, on_text=None, priority=1):
                await asyncio.Event().wait()

        store = MemoryStore(spec(1, 3), cancel_after=0)
        self.assertEqual(run(store, Slow()), "cancelled")

    def test_an_error_of_the_store_ends_the_run(self):
        class Broken(MemoryStore):
            def save(self, results):
                raise OSError("disk full")

        with self.assertRaisesRegex(OSError, "disk full"):
            run(Broken(spec()), FakeCaller())
