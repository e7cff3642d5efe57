"""Attempts made in a process of their own: the same answers, failures and keys as here."""

import asyncio
from dataclasses import replace

from aiohttp import web
from aiohttp.test_utils import TestServer

from nomikon.core.prompts import Message
from nomikon.models import CallFailure, Connection
from nomikon.models.call_process import CallProcess
from nomikon.models.client import ModelClient
from nomikon.models.protocols.chat import ChatCompletions
from nomikon_standin.server import Standin
from tests.asking import AsyncCase

BODY = ChatCompletions().body("standin-flint", [Message("user", "Name one colour.")], {}, seed=0)


class CallProcessTest(AsyncCase):
    async def asyncSetUp(self):
        self.server = TestServer(Standin(pace=0).app())
        await self.server.start_server()
        self.addAsyncCleanup(self.server.close)
        keys = {"KEY": "secret-value"}
        self.apart = CallProcess(keys=keys)
        self.client = ModelClient(keys=keys, transport=self.apart)
        await self.client.__aenter__()
        self.addAsyncCleanup(self.client.__aexit__, None, None, None)
        base = str(self.server.make_url("/v1"))
        self.there = Connection("1", 1, "chat-completions", base)

    async def test_many_at_once_give_what_they_give_here(self):
        async with ModelClient(keys={}) as plain:
            here = await plain.call(self.there, BODY["model"], BODY)
        answers = await asyncio.gather(
            *[self.client.call(self.there, BODY["model"], BODY) for _ in range(40)]
        )
        self.assertEqual({a.text for a in answers}, {here.text})
        self.assertEqual({a.usage.tokens_in for a in answers}, {here.usage.tokens_in})

    async def test_failures_keep_their_name_and_hold_no_key(self):
        async def refuse(request):
            return web.json_response({"error": request.headers["Authorization"]}, status=401)

        app = web.Application()
        app.router.add_post("/v1/chat/completions", refuse)
        server = TestServer(app)
        await server.start_server()
        self.addAsyncCleanup(server.close)
        closed = replace(self.there, base_url=str(server.make_url("/v1")), key_name="KEY")
        for connection, code in [
            (closed, "bad_key"),
            (replace(self.there, key_name="NOT_SET"), "no_key"),
            (replace(self.there, id="2", base_url="http://127.0.0.1:9/v1", max_attempts=1), "nothing_listens"),
        ]:  # fmt: skip
            with self.subTest(code=code), self.assertRaises(CallFailure) as caught:
                await self.client.call(connection, BODY["model"], BODY)
            self.assertEqual(caught.exception.code, code)
            self.assertNotIn("secret-value", str(caught.exception) + caught.exception.whole)

    async def test_when_it_is_killed_what_was_under_way_is_asked_again(self):
        waiting = asyncio.Event()
        asked = []

        async def slow(request):
            asked.append(1)
            if len(asked) <= 4:
                waiting.set()
                await asyncio.sleep(30)
            message = {"role": "assistant", "content": "late"}
            return web.json_response({"choices": [{"message": message, "finish_reason": "stop"}]})

        app = web.Application()
        app.router.add_post("/v1/chat/completions", slow)
        server = TestServer(app)
        await server.start_server()
        self.addAsyncCleanup(server.close)
        there = replace(self.there, base_url=str(server.make_url("/v1")))
        calls = [asyncio.create_task(self.client.call(there, "m", BODY)) for _ in range(4)]
        await waiting.wait()
        await asyncio.sleep(0.2)
        self.apart._child.kill()
        answers = await asyncio.gather(*calls)
        self.assertEqual([(a.text, a.attempts) for a in answers], [("late", 2)] * 4)
