"""The client against the stand-in, which misbehaves on request. No test waits: sleep is faked."""

from dataclasses import replace

from aiohttp import web
from aiohttp.test_utils import TestServer

from nomikon.core.prompts import Message
from nomikon.models import CallFailure, Connection
from nomikon.models.client import ModelClient
from nomikon.models.protocols.chat import ChatCompletions
from nomikon_standin.faults import Fault, FaultPlan
from nomikon_standin.server import Standin
from tests.asking import AsyncCase

BODY = ChatCompletions().body(
    "standin-flint", [Message("user", "Name one colour.")], {"temperature": 0.0}, seed=0
)


class ClientTest(AsyncCase):
    async def asyncSetUp(self):
        self.standin = Standin(pace=0)
        self.server = TestServer(self.standin.app())
        await self.server.start_server()
        self.waits = []

        self.now = 0.0

        async def sleep(seconds):
            self.waits.append(seconds)
            self.now += seconds

        self.client = ModelClient(keys={"KEY": "secret-value"}, sleep=sleep, clock=lambda: self.now)
        await self.client.__aenter__()
        self.connection = Connection("1", 1, "chat-completions", str(self.server.make_url("/v1")))

    async def asyncTearDown(self):
        await self.client.__aexit__(None, None, None)
        await self.server.close()

    def play(self, *faults):
        """The first calls meet these faults in turn, the rest none."""
        plan, waiting = FaultPlan(), list(faults)
        plan.next_for = lambda model: waiting.pop(0) if waiting else None
        self.standin.faults = plan

    async def failing(self, connection=None, body=BODY):
        with self.assertRaises(CallFailure) as caught:
            await self.client.call(connection or self.connection, body["model"], body)
        return caught.exception

    async def test_an_answer_streams_and_carries_its_usage(self):
        heard = []
        answer = await self.client.call(self.connection, BODY["model"], BODY, on_text=heard.append)
        self.assertEqual("".join(heard), answer.text)
        self.assertEqual(answer.finish_reason, "stop")
        self.assertGreater(answer.usage.tokens_in, 0)
        self.assertGreater(answer.usage.tokens_out, 0)
        self.assertEqual(answer.model_identity, "standin-flint standin-1")
        self.assertGreaterEqual(answer.latency_ms, answer.first_ms)

    async def test_retry_after_is_honoured_to_the_letter(self):
        self.play(Fault("http-429", 1, retry_after_s=7), Fault("http-429", 1, retry_after_s=3))
        answer = await self.client.call(self.connection, BODY["model"], BODY)
        self.assertEqual((self.waits, answer.attempts), ([7, 3], 3))

    async def test_passing_faults_are_tried_again_with_backoff(self):
        for kind in (
            "http-500",
            "http-503",
            "http-429",
            "drop-connection",
            "drop-stream",
            "malformed",
            "wrong-type",
            "no-answer",
        ):
            with self.subTest(kind=kind):
                self.waits.clear()
                self.play(Fault(kind, 1))
                # A longer answer, so that there is a middle to break it in.
                body = ChatCompletions().body(
                    "standin-cobble",
                    [Message("user", "Sort: the boat was late")],
                    {"temperature": 0.0},
                    seed=0,
                )
                answer = await self.client.call(self.connection, body["model"], body)
                self.assertEqual(answer.attempts, 2)
                self.assertGreaterEqual(len(self.waits), 1)

    async def test_after_the_last_attempt_the_failure_has_a_name(self):
        for kind, code in [
            ("http-500", "server_error"),
            ("http-429", "throttled"),
            ("drop-connection", "unreachable"),
            ("wrong-type", "web_page"),
            ("no-answer", "malformed"),
        ]:
            with self.subTest(kind=kind):
                self.play(*[Fault(kind, 1)] * 9)
                failure = await self.failing()
                self.assertEqual((failure.code, failure.attempts), (code, 4))

    async def test_what_cannot_succeed_is_asked_once(self):
        unknown = await self.failing(body={**BODY, "model": "nobody"})
        self.assertEqual((unknown.code, unknown.attempts), ("unknown_model", 1))
        long = ChatCompletions().body(
            "standin-pebble", [Message("user", "word " * 5000)], {}, seed=0
        )
        self.assertEqual((await self.failing(body=long)).code, "context_too_long")
        self.assertEqual(self.waits, [])

    async def test_missing_usage_is_left_open(self):
        self.play(Fault("no-usage", 1))
        answer = await self.client.call(self.connection, BODY["model"], BODY)
        self.assertIsNone(answer.usage.tokens_out)

    async def test_addresses_that_lead_nowhere(self):
        gone = replace(self.connection, base_url="http://127.0.0.1:9/v1", max_attempts=1)
        self.assertEqual((await self.failing(gone)).code, "nothing_listens")

    async def test_the_key_goes_only_into_the_header(self):
        seen = {}

        async def handler(request):
            seen["key"] = request.headers.get("Authorization")
            # A careless server sends the key back.
            return web.json_response({"error": f"{seen['key']} is wrong"}, status=401)

        app = web.Application()
        app.router.add_post("/v1/chat/completions", handler)
        server = TestServer(app)
        await server.start_server()
        self.addAsyncCleanup(server.close)
        there = replace(self.connection, base_url=str(server.make_url("/v1")), key_name="KEY")
        failure = await self.failing(there)
        self.assertEqual(seen["key"], "Bearer secret-value")
        self.assertEqual(failure.code, "bad_key")
        self.assertNotIn("secret-value", str(failure) + failure.detail + failure.whole)
        self.assertIn("is wrong", failure.detail)

    async def test_headers_of_the_connection_go_out_with_every_request(self):
        seen = []

        async def handler(request):
            seen.append(request.headers.get("X-Team"))
            return web.Response(text="<html><title>Log in</title></html>", content_type="text/html")

        app = web.Application()
        app.router.add_route("*", "/{rest:.*}", handler)
        server = TestServer(app)
        await server.start_server()
        self.addAsyncCleanup(server.close)
        there = replace(
            self.connection,
            base_url=str(server.make_url("/v1")),
            headers=(("X-Team", "harbour"),),
            max_attempts=1,
        )
        failure = await self.failing(there)
        self.assertEqual((failure.code, failure.detail), ("web_page", ""))
        with self.assertRaises(CallFailure) as caught:
            await self.client.list_models(there)
        self.assertEqual(caught.exception.code, "web_page")
        self.assertEqual(seen, ["harbour", "harbour"])

    async def test_no_such_host_and_no_certificate(self):
        nowhere = replace(self.connection, base_url="http://no-host.invalid/v1", max_attempts=1)
        self.assertEqual((await self.failing(nowhere)).code, "no_such_host")
        # A plain server that is spoken to as if it were encrypted.
        plain = self.connection.base_url.replace("http:", "https:")
        failure = await self.failing(replace(self.connection, base_url=plain, max_attempts=1))
        self.assertIn("secure connection", str(failure))

    async def test_reasoning_of_a_real_stream(self):
        body = {**BODY, "reasoning_effort": "low"}
        answer = await self.client.call(self.connection, BODY["model"], body)
        self.assertIn("what is asked", answer.reasoning)
        self.assertNotIn("what is asked", answer.text)
        self.assertGreater(answer.usage.tokens_reasoning, 0)

    async def test_a_key_that_is_not_set_stops_the_call(self):
        failure = await self.failing(replace(self.connection, key_name="NOT_SET"))
        self.assertEqual((failure.code, failure.detail), ("no_key", "NOT_SET"))
        self.assertEqual(self.standin.log, [])

    async def test_a_redirect_is_not_followed(self):
        async def handler(request):
            raise web.HTTPTemporaryRedirect("http://127.0.0.1:9/elsewhere")

        app = web.Application()
        app.router.add_post("/v1/chat/completions", handler)
        server = TestServer(app)
        await server.start_server()
        self.addAsyncCleanup(server.close)
        there = replace(self.connection, base_url=str(server.make_url("/v1")))
        self.assertEqual((await self.failing(there)).code, "refused")

    async def test_a_stream_that_stalls_and_a_call_that_never_ends(self):
        self.standin.pace = 1000
        stalled = replace(self.connection, stall_timeout_s=0.05, max_attempts=1)
        self.assertEqual((await self.failing(stalled)).code, "timeout")
        slow = replace(self.connection, call_timeout_s=0.05, max_attempts=1)
        self.assertEqual((await self.failing(slow)).code, "timeout")
