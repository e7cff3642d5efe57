"""Many at once: streams without a thread each, and requests of which none is turned away by accident."""

import asyncio
import resource
from pathlib import Path

import aiohttp
from django.test import tag
from django.utils import timezone

from nomikon.server.apps.ledger.write import emit
from tests.processes import wait_until
from tests.server.base import make_brief
from tests.server.test_processes import ProcessTest

STREAMS, CLIENTS = 1_000, 200


class ManyTest(ProcessTest):
    def setUp(self):
        super().setUp()
        self.brief = make_brief(5)
        _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))
        self.address = self.processes.web()
        self.web = self.processes.running("uvicorn")

    def threads(self):
        return len(list(Path(f"/proc/{self.web.pid}/task").iterdir()))

    def test_a_thousand_open_pages_hold_no_thread_each_and_all_hear_of_it(self):
        async def listen():
            connector = aiohttp.TCPConnector(limit=0)
            timeout = aiohttp.ClientTimeout(total=120)
            async with aiohttp.ClientSession(connector=connector, timeout=timeout) as session:
                streams = await asyncio.gather(
                    *(session.get(f"{self.address}/api/events/") for _ in range(STREAMS))
                )
                self.assertEqual({s.status for s in streams}, {200})
                await asyncio.sleep(0.5)
                threads = self.threads()
                await asyncio.to_thread(emit, "trial:1", "outputs", {"n": 7}, now=timezone.now())

                async def heard(stream):
                    while b'"n": 7' not in (line := await stream.content.readline()):
                        self.assertTrue(line, "a stream ended")
                    stream.close()

                await asyncio.gather(*(heard(s) for s in streams))
                return threads

        self.assertLess(asyncio.run(listen()), 60)
        # Whoever has left is forgotten: nothing is kept for them.
        wait_until(lambda: self.threads() < 60, 30.0, "the threads to end")

    @tag("long")
    def test_two_hundred_clients_at_once_are_all_answered(self):
        paths = ["desk/", "session/", f"briefs/{self.brief.pk}/", "connections/", "ledger/",
                 f"datasets/{self.brief.datasets.first().pk}/cases/", "find/?q=sea"]  # fmt: skip

        async def ask(session, number):
            told = []
            for step in range(2):
                path = paths[(number + step) % len(paths)]
                async with session.get(f"{self.address}/api/{path}") as answer:
                    await answer.read()
                    told.append(answer.status)
            return told

        async def all_of_them():
            connector = aiohttp.TCPConnector(limit=0)
            async with aiohttp.ClientSession(connector=connector) as session:
                return await asyncio.gather(*(ask(session, n) for n in range(CLIENTS)))

        told = asyncio.run(all_of_them())
        self.assertEqual({s for some in told for s in some}, {200})
