"""Who may call when: limits, rates, slowing down, the breaker. Time is passed in or faked."""

import asyncio
import itertools
import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.models.breaker import FIRST_REST_S, KEY_TRIPS_AFTER, TRIPS_AFTER, Breaker
from nomikon.models.errors import CallFailure
from nomikon.models.rates import MINUTE_S, RequestRate, TokenBucket, TokenRate
from nomikon.models.traffic import CEILING_S, RECOVERS_S, Traffic
from nomikon.models.types import SINGLE, TRIAL, Answer, Connection, Limits, Usage
from tests.asking import AsyncCase


def most_in_a_minute(times, weights=None):
    weights = weights or [1] * len(times)
    return max(
        sum(w for t, w in zip(times, weights, strict=True) if start <= t < start + MINUTE_S)
        for start in times
    )


class RatesTest(unittest.TestCase):
    @given(st.integers(2, 900), st.lists(st.floats(0, 5), max_size=60))
    @settings(max_examples=60, deadline=None)
    def test_no_minute_holds_more_requests_than_the_limit(self, per_minute, pauses):
        rate, now, sent = RequestRate(per_minute, now=0.0), 0.0, []
        for turn in range(per_minute * 2 + 5):
            now += pauses[turn] if turn < len(pauses) else 0.0
            now += rate.wait_s(now)
            rate.take(now)
            sent.append(now)
        self.assertLessEqual(most_in_a_minute(sent), per_minute)

    def test_nearly_all_of_the_allowance_is_used(self):
        rate, now, n = RequestRate(120, now=0.0), 0.0, 0
        while now < 300:
            rate.take(now)
            n += 1
            now += rate.wait_s(now)
        self.assertGreaterEqual(n, 0.98 * 120 * 5)

    @given(st.lists(st.integers(1, 3000), min_size=5, max_size=120))
    @settings(max_examples=60, deadline=None)
    def test_no_minute_holds_more_tokens_than_the_limit(self, amounts):
        # Settled exactly as estimated, and no single call above the burst.
        rate, now, sent = TokenRate(100_000, now=0.0), 0.0, []
        for amount in amounts:
            now += rate.wait_s(amount, now)
            rate.take(amount, now)
            sent.append(now)
        self.assertLessEqual(most_in_a_minute(sent, amounts), 100_000)

    def test_a_debt_is_waited_off(self):
        bucket = TokenBucket(10, 5, now=0.0)
        self.assertEqual(bucket.wait_s(50, 0.0), 0.0)
        bucket.take(50, 0.0)
        self.assertAlmostEqual(bucket.wait_s(5, 0.0), 5.0)


class BreakerTest(unittest.TestCase):
    def failed(self, breaker, n, code="server_error", now=0.0):
        for _ in range(n):
            breaker.failed(CallFailure(code, "down"), now)

    def test_it_opens_after_failures_in_a_row_and_lets_one_look(self):
        breaker = Breaker()
        self.failed(breaker, TRIPS_AFTER - 1)
        breaker.answered()
        self.failed(breaker, TRIPS_AFTER - 1)
        self.assertEqual(breaker.state(0.0).state, "steady")
        self.failed(breaker, 1)
        self.assertEqual((breaker.state(0.0).state, breaker.wait_s(0.0)), ("resting", FIRST_REST_S))
        self.assertEqual(breaker.wait_s(FIRST_REST_S), 0.0)
        breaker.admitted()
        self.assertIsNone(breaker.wait_s(FIRST_REST_S))
        self.failed(breaker, 1, now=FIRST_REST_S)
        self.assertEqual(breaker.wait_s(FIRST_REST_S), 2 * FIRST_REST_S)
        breaker.admitted()
        breaker.answered()
        self.assertEqual(breaker.wait_s(7.0), 0.0)

    def test_a_refused_key_is_not_tried_a_thousand_times(self):
        breaker = Breaker()
        self.failed(breaker, KEY_TRIPS_AFTER, "bad_key")
        self.assertEqual(breaker.gives_up(0.1).code, "bad_key")

    def test_a_refusal_of_one_request_says_nothing_against_the_server(self):
        breaker = Breaker()
        self.failed(breaker, 50, "context_too_long")
        self.assertEqual(breaker.state(0.0).state, "steady")

    def test_patience_ends(self):
        breaker = Breaker(patience_s=30)
        self.failed(breaker, TRIPS_AFTER)
        self.assertIsNone(breaker.gives_up(1.0))
        breaker.admitted()
        self.failed(breaker, 1, now=29.0)
        self.assertEqual(breaker.gives_up(30.5).code, "resting")
        # When the rest is over one may look all the same.
        self.assertIsNone(breaker.gives_up(33.5))


class Clock:
    """Time that passes only when everybody sleeps."""

    def __init__(self):
        self.now = 0.0
        self.sleepers = []

    async def sleep(self, seconds):
        event = asyncio.Event()
        self.sleepers.append((self.now + seconds, event))
        await event.wait()

    async def pass_to(self, until):
        for _ in range(5):
            await asyncio.sleep(0)
        while due := [s for s in self.sleepers if s[0] <= until]:
            first = min(due, key=lambda s: s[0])
            self.sleepers.remove(first)
            self.now = max(self.now, first[0])
            first[1].set()
            for _ in range(5):
                await asyncio.sleep(0)
        self.now = until


ANSWER = Answer("yes", "stop", Usage(60, 40), 10.0)


class TrafficTest(AsyncCase):
    def setUp(self):
        self.clock = Clock()
        self.told = []
        self.traffic = Traffic(
            clock=lambda: self.clock.now, sleep=self.clock.sleep, on_change=self.told.append
        )
        self.log = []

    def to(self, limits=None, model=None, identity="1"):
        return Connection(
            identity, 1, "chat-completions", "http://h/v1",
            limits=limits or Limits(), model_limits=model or Limits(),
        )  # fmt: skip

    def width(self):
        return self.traffic.state_of("1").lanes["m"].width

    async def ask(self, name, connection, *, model="m", end=None, **more):
        ticket = await self.traffic.enter(connection, model, **more)
        self.log.append((name, self.clock.now))
        if end is not None:
            await end.wait()
        self.traffic.answered(ticket, ANSWER)

    async def test_a_person_who_waits_goes_before_a_trial(self):
        road, end = self.to(Limits(concurrency=1)), asyncio.Event()
        tasks = [asyncio.create_task(self.ask("first", road, end=end))]
        await self.clock.pass_to(0)
        for name, priority in (("trial", TRIAL), ("trial", TRIAL), ("single", SINGLE)):
            tasks.append(asyncio.create_task(self.ask(name, road, priority=priority)))
        await self.clock.pass_to(0)
        end.set()
        await asyncio.gather(*tasks)
        self.assertEqual([n for n, _ in self.log], ["first", "single", "trial", "trial"])

    async def test_limits_of_model_and_connection_both_hold(self):
        road, end = self.to(Limits(concurrency=3), Limits(concurrency=2)), asyncio.Event()
        tasks = [
            asyncio.create_task(self.ask(m, road, model=m, end=end))
            for m in ("a", "a", "a", "b", "b")
        ]
        await self.clock.pass_to(0)
        # The third of a waits for its lane, the second of b for the road.
        self.assertEqual([n for n, _ in self.log], ["a", "a", "b"])
        end.set()
        await asyncio.gather(*tasks)
        self.assertEqual(len(self.log), 5)

    async def test_requests_are_spaced_by_the_rate(self):
        road = self.to(Limits(requests_per_minute=60))
        tasks = [asyncio.create_task(self.ask(str(n), road)) for n in range(5)]
        await self.clock.pass_to(10)
        await asyncio.gather(*tasks)
        times = [t for _, t in self.log]
        # At first a late timer's half second may be caught up, then one a second.
        self.assertTrue(all(b - a > 0.45 for a, b in itertools.pairwise(times)), times)
        self.assertTrue(all(b - a > 0.95 for a, b in itertools.pairwise(times[1:])), times)

    async def test_a_429_narrows_the_lane_and_answers_widen_it(self):
        road = self.to(Limits(concurrency=16), Limits(concurrency=16))
        tickets = [await self.traffic.enter(road, "m") for _ in range(16)]
        for ticket in tickets:
            self.traffic.failed(ticket, CallFailure("throttled", "429", retry_after_s=4))
        state = self.traffic.state_of("1")
        self.assertEqual((state.state, state.lanes["m"].width), ("slowed", 8))
        self.assertIn("429", state.reason)
        end = asyncio.Event()
        tasks = [asyncio.create_task(self.ask("x", road, end=end)) for _ in range(40)]
        await self.clock.pass_to(3.9)
        self.assertEqual(self.log, [])
        await self.clock.pass_to(4.1)
        self.assertEqual(len(self.log), 8)
        end.set()
        await asyncio.gather(*tasks)
        self.assertGreater(self.traffic.state_of("1").lanes["m"].width, 10)
        for _ in range(200):
            await self.ask("y", road)
        self.assertEqual(self.traffic.state_of("1").state, "steady")
        self.assertEqual(self.told, ["1", "1"])

    async def test_answers_broken_off_beside_others_bound_the_lane_for_a_while(self):
        road = self.to(Limits(concurrency=8), Limits(concurrency=8))
        tickets = [await self.traffic.enter(road, "m") for _ in range(8)]
        broken = CallFailure("dropped_stream", "closed without an answer")
        self.traffic.failed(tickets[0], broken)
        # One may be chance.
        self.assertEqual(self.traffic.state_of("1").state, "steady")
        for ticket in tickets[1:7]:
            self.traffic.failed(ticket, broken)
        self.assertIn("looking whether fewer at a time helps", self.traffic.state_of("1").reason)
        self.traffic.answered(tickets[7], ANSWER)
        for _ in range(20):
            await self.ask("next", road)
        # Of eight they broke off, one at a time they are whole: for a while at most half are tried.
        bound = self.width()
        self.assertLessEqual(bound, 4)
        self.assertIn("breaks answers off", self.traffic.state_of("1").reason)
        self.assertEqual(self.traffic.state_of("1").borne, {"m": bound})
        self.clock.now += CEILING_S + 1
        for _ in range(4):
            await self.ask("later", road)
        self.assertGreater(self.width(), bound)

    async def test_what_broke_off_when_the_server_went_down_narrows_nothing(self):
        road = self.to(Limits(concurrency=8), Limits(concurrency=8))
        tickets = [await self.traffic.enter(road, "m") for _ in range(8)]
        for ticket in tickets[:6]:
            self.traffic.failed(ticket, CallFailure("dropped_stream", "after 3 characters"))
        for ticket in tickets[6:]:
            self.traffic.failed(ticket, CallFailure("nothing_listens", "h:80"))
        for _ in range(TRIPS_AFTER - 2):
            ticket = await self.traffic.enter(road, "m")
            self.traffic.failed(ticket, CallFailure("nothing_listens", "h:80"))
        self.assertEqual(self.traffic.state_of("1").state, "resting")
        self.clock.now += FIRST_REST_S + 1
        await self.ask("back", road)
        self.assertEqual(self.traffic.state_of("1").state, "steady")

    async def test_an_idle_lane_gets_its_width_back_with_time(self):
        road = self.to(Limits(concurrency=16), Limits(concurrency=16))
        tickets = [await self.traffic.enter(road, "m") for _ in range(16)]
        self.traffic.failed(tickets[0], CallFailure("throttled", "429"))
        for ticket in tickets[1:]:
            self.traffic.answered(ticket, ANSWER)
        narrow = self.width()
        self.traffic.recover()
        self.assertEqual(self.width(), narrow)
        self.clock.now += RECOVERS_S * 2
        self.traffic.recover()
        self.assertEqual(self.traffic.state_of("1").state, "steady")

    async def test_a_lane_that_must_find_out_begins_narrow_and_doubles(self):
        road = replace(self.to(Limits(concurrency=8), Limits(concurrency=8)), begins=2)
        for width in (2, 4, 8):
            tickets = [await self.traffic.enter(road, "m") for _ in range(width)]
            late = asyncio.create_task(self.traffic.enter(road, "m"))
            await self.clock.pass_to(0)
            self.assertFalse(late.done(), width)
            late.cancel()
            for ticket in tickets:
                self.traffic.answered(ticket, ANSWER)
        self.assertEqual(self.traffic.state_of("1").state, "steady")

    async def test_a_model_that_rests_does_not_stop_another_of_its_connection(self):
        road = self.to(Limits(concurrency=20))
        tickets = [await self.traffic.enter(road, "sick") for _ in range(TRIPS_AFTER)]
        for ticket in tickets:
            self.traffic.failed(ticket, CallFailure("server_error", "out of memory"))
        await self.ask("other", road, model="well")
        state = self.traffic.state_of("1")
        self.assertEqual((state.state, list(state.lanes)), ("resting", ["sick"]))
        self.assertIn("out of memory", state.lanes["sick"].reason)
        # A person need not wait for the end of the rest.
        self.traffic.try_now("1")
        await self.ask("looked", road, model="sick")
        self.assertEqual(self.traffic.state_of("1").state, "steady")

    async def test_bad_requests_and_errors_sent_as_answers_are_no_outage(self):
        road = self.to(Limits(concurrency=40))
        for code in ("refused", "error_in_answer", "context_too_long"):
            for _ in range(2 * TRIPS_AFTER):
                ticket = await self.traffic.enter(road, "m")
                self.traffic.failed(ticket, CallFailure(code, "no"))
        self.assertEqual(self.traffic.state_of("1").state, "steady")

    async def test_one_broken_off_alone_narrows_nothing(self):
        road = self.to(Limits(concurrency=8))
        ticket = await self.traffic.enter(road, "m")
        self.traffic.failed(ticket, CallFailure("dropped_stream", "after 3 characters"))
        self.assertEqual(self.traffic.state_of("1").state, "steady")

    async def test_a_server_that_is_down_is_left_alone_and_looked_after(self):
        road = self.to(Limits(concurrency=20))
        tickets = [await self.traffic.enter(road, "m") for _ in range(TRIPS_AFTER)]
        for ticket in tickets:
            self.traffic.failed(ticket, CallFailure("unreachable", "refused"))
        tasks = [asyncio.create_task(self.ask(n, road)) for n in range(10)]
        await self.clock.pass_to(FIRST_REST_S - 0.1)
        self.assertEqual((self.log, self.traffic.state_of("1").state), ([], "resting"))
        await self.clock.pass_to(FIRST_REST_S + 0.1)
        await asyncio.gather(*tasks)
        self.assertEqual(len(self.log), 10)
        self.assertEqual(self.traffic.state_of("1").state, "steady")

    async def test_another_connection_is_not_held_up(self):
        down, well = self.to(identity="1"), self.to(identity="2")
        tickets = [await self.traffic.enter(down, "m") for _ in range(TRIPS_AFTER)]
        for ticket in tickets:
            self.traffic.failed(ticket, CallFailure("unreachable", "refused"))
        await self.ask("well", well)
        self.assertEqual(len(self.log), 1)

    async def test_who_goes_away_leaves_no_place_taken(self):
        road, end = self.to(Limits(concurrency=1)), asyncio.Event()
        first = asyncio.create_task(self.ask("first", road, end=end))
        await self.clock.pass_to(0)
        gone = asyncio.create_task(self.ask("gone", road))
        last = asyncio.create_task(self.ask("last", road))
        await self.clock.pass_to(0)
        gone.cancel()
        end.set()
        await asyncio.gather(first, gone, last, return_exceptions=True)
        await self.ask("one more", road)
        self.assertEqual([n for n, _ in self.log], ["first", "last", "one more"])

    async def test_tokens_are_settled_by_what_the_server_counted(self):
        road = self.to(Limits(tokens_per_minute=60_000))
        # Each is thought to take 2,000 and takes 100: without settling four would take 6 s.
        for _ in range(8):
            task = asyncio.create_task(self.ask("x", road, tokens=2000))
            await self.clock.pass_to(self.clock.now + 1)
            await task
        self.assertLess(self.log[-1][1], 9)
