"""How wide a lane is, held against servers that are simulated: by what tells of width, and nothing else.

Time is a clock of the test's own; a server is a rule for what becomes of a call.
"""

import asyncio
import random
import unittest

from scipy.stats import binom, fisher_exact

from nomikon.models.errors import CallFailure
from nomikon.models.signs import at_least, more_in_first
from nomikon.models.traffic import Traffic
from nomikon.models.types import Answer, Connection, Limits, Usage
from tests.asking import AsyncCase
from tests.models.test_traffic import Clock

ANSWER = Answer("yes", "stop", Usage(60, 40), 10.0)
CUT = "dropped_stream"


class SignsTest(unittest.TestCase):
    def test_as_scipy_has_them(self):
        for k, n, share in ((1, 1, 0.05), (3, 40, 0.05), (6, 40, 0.1), (0, 9, 0.3)):
            self.assertAlmostEqual(at_least(k, n, share), binom.sf(k - 1, n, share), places=12)
        for table in ((4, 4, 0, 5), (3, 20, 1, 30), (0, 5, 3, 5)):
            hits, n, other, other_n = table
            known = fisher_exact([[hits, n - hits], [other, other_n - other]], "greater").pvalue
            self.assertAlmostEqual(more_in_first(*table), known, places=10)


class Server:
    """Answers after a while, by a rule; counts what is under way."""

    def __init__(self, clock, rule, latency_s=0.2, seed=1):
        self.clock, self.rule, self.latency_s = clock, rule, latency_s
        self.chance = random.Random(seed)
        self.under_way = {}
        self.most = 0

    async def ask(self, key):
        self.under_way[key] = ""
        self.most = max(self.most, len(self.under_way))
        code = self.rule(self, key)
        if code in ("throttled", "server_error"):
            del self.under_way[key]
            raise CallFailure(code, "as told")
        await self.clock.sleep(self.latency_s * (0.8 + 0.4 * self.chance.random()))
        code = self.under_way.pop(key) or code
        if code:
            raise CallFailure(code, "as told")


def faults(throttled=0.0, broken=0.0, cut=0.0):
    def rule(server, _):
        drawn = server.chance.random()
        if drawn < throttled:
            return "throttled"
        if drawn < throttled + broken:
            return "server_error"
        return CUT if drawn < throttled + broken + cut else ""

    return rule


def one_at_a_time(server, key):
    """A further call breaks off those that are under way."""
    for other in server.under_way:
        if other != key:
            server.under_way[other] = CUT
    return ""


def no_more_than(n, code):
    return lambda server, _: code if len(server.under_way) > n else ""


class LanesTest(AsyncCase):
    async def pace(self, rule, *, limit=32, begins=None, seconds=20.0, latency_s=0.2):
        """Answers a second, the server, and the state at the end; a failed call is tried again at once."""
        clock = Clock()
        traffic = Traffic(clock=lambda: clock.now, sleep=clock.sleep)
        server = Server(clock, rule, latency_s)
        road = Connection(
            "1", 1, "chat-completions", "http://h/v1", limits=Limits(concurrency=limit),
            begins=begins,
        )  # fmt: skip
        had, tries = [], iter(range(10**6))

        async def asks_on():
            while True:
                ticket = await traffic.enter(road, "m")
                try:
                    await server.ask(next(tries))
                except CallFailure as failure:
                    traffic.failed(ticket, failure)
                    await clock.sleep(0.3)
                    continue
                traffic.answered(ticket, ANSWER)
                had.append(clock.now)

        tasks = [asyncio.create_task(asks_on()) for _ in range(2 * limit)]
        await clock.pass_to(seconds)
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        traffic.close()
        later = [t for t in had if t > seconds / 2]
        return len(later) / (seconds / 2), server, traffic.state_of("1")

    async def test_random_faults_keep_the_pace(self):
        plain, _, _ = await self.pace(faults())
        hurt, server, state = await self.pace(faults(0.03, 0.015, 0.01))
        self.assertGreater(hurt, 0.8 * plain, (hurt, plain, state))
        self.assertLessEqual(server.most, 32)

    async def test_a_server_that_breaks_off_when_more_come_is_found_out(self):
        # Of its own: begun with two at a time. Given eight: halved until it holds.
        for limit, begins in ((32, 2), (8, None)):
            pace, _, state = await self.pace(
                one_at_a_time, limit=limit, begins=begins, seconds=60.0
            )
            self.assertEqual(state.lanes["m"].width, 1)
            self.assertIn("breaks answers off", state.reason)
            self.assertGreater(pace, 0.85 / 0.2 * 0.8)

    async def test_a_server_that_bears_three_is_not_held_to_one(self):
        pace, _, state = await self.pace(no_more_than(3, CUT), limit=16, seconds=60.0)
        self.assertIn(state.lanes["m"].width, (2, 3))
        self.assertGreater(pace, 0.6 * 3 / 0.2)

    async def test_a_limit_told_by_429_is_found_and_half_of_it_used_at_least(self):
        pace, _, state = await self.pace(no_more_than(8, "throttled"))
        self.assertGreater(pace, 0.5 * 8 / 0.2)
        self.assertLessEqual(state.lanes["m"].width, 16)

    async def test_after_a_bad_minute_it_is_as_wide_as_before_within_another(self):
        bad = {"until": 20.0}

        def rule(server, _):
            busy = server.clock.now < bad["until"] and len(server.under_way) > 4
            return "throttled" if busy else ""

        # Slow answers: by their number alone it would take ten minutes.
        _, server, _ = await self.pace(rule, seconds=80.0, latency_s=8.0)
        server.most = 0
        bad["until"] = 0.0
        pace, again, state = await self.pace(rule, seconds=80.0, latency_s=8.0)
        self.assertEqual((again.most, state.state), (32, "steady"))
        self.assertGreater(pace, 0.9 * 32 / 8)
