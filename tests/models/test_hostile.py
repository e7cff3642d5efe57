"""Servers that mean harm, or are broken: each costs its own call, with a name, and nothing else."""

import asyncio
import base64
import gzip
import time
import unittest
from dataclasses import replace
from urllib.parse import quote

from nomikon.models import CallFailure
from nomikon.models.client import ModelClient
from nomikon.models.secrets import TAKEN_OUT, Blotter, LiveBlotter
from nomikon.models.types import Connection
from tests.asking import AsyncCase

KEY = "nk-4f9c2e7781aa4d03b6e5c1d2"
OK = b"HTTP/1.1 200 OK\r\nContent-Type: %s\r\nConnection: close\r\n%s\r\n"
STREAM, JSON = b"text/event-stream", b"application/json"


def event(text):
    return b"data: " + text.encode("utf-8", "surrogatepass") + b"\n\n"


def spoken(content, reason='"stop"', more=""):
    return event(
        f'{{"choices": [{{"delta": {{"content": {content}}}, "finish_reason": {reason}}}]{more}}}'
    )


class Raw:
    """A server that sends what it is given, piece by piece, whatever is asked."""

    def __init__(self, pieces, pause=0.0):
        self.pieces, self.pause = pieces, pause

    async def __aenter__(self):
        self.tasks = []
        self.server = await asyncio.start_server(self.answer, "127.0.0.1", 0)
        port = self.server.sockets[0].getsockname()[1]
        return Connection("1", 1, "chat-completions", f"http://127.0.0.1:{port}/v1",
                          key_name="K", call_timeout_s=3, stall_timeout_s=1, max_attempts=1)  # fmt: skip

    async def __aexit__(self, *error):
        self.server.close()
        for task in self.tasks:
            task.cancel()
        await asyncio.gather(*self.tasks, return_exceptions=True)

    async def answer(self, reader, writer):
        self.tasks.append(asyncio.current_task())
        try:
            await reader.readuntil(b"\r\n\r\n")
            for piece in self.pieces:
                writer.write(piece)
                await writer.drain()
                await asyncio.sleep(self.pause)
            writer.close()
            await writer.wait_closed()
        except (ConnectionError, asyncio.IncompleteReadError):
            # The other side has had enough.
            pass
        finally:
            writer.transport.abort()


def for_ever(piece):
    while True:
        yield piece


class HostileTest(AsyncCase):
    async def ask(self, pieces, pause=0.0, heard=None, **more):
        async with Raw(pieces, pause) as connection, ModelClient(keys={"K": KEY}) as client:
            return await client.call(
                replace(connection, **more), "m", {"messages": []}, on_text=heard
            )

    async def failure(self, pieces, pause=0.0, **more):
        began = time.monotonic()
        with self.assertRaises(CallFailure) as caught:
            await self.ask(pieces, pause, **more)
        self.assertLess(time.monotonic() - began, 8)
        return caught.exception

    async def test_what_does_not_end_is_given_up(self):
        head = OK % (STREAM, b"")
        packed = gzip.compress(b"x" * 40_000_000)
        cases = {
            "a body": [OK % (JSON, b""), *[b"[" * 65_536] * 60],
            "a line": [head, b"data: ", *[b"x" * 65_536] * 60],
            "a stream": [head, *[spoken('"la la la"', "null") * 500] * 200],
            "unpacked": [OK % (JSON, b"Content-Encoding: gzip\r\n"), packed],
            "deep": [OK % (JSON, b""), b"[" * 200_000],
        }
        for name, pieces in cases.items():
            with self.subTest(name):
                failure = await self.failure(pieces, most_answer_mb=2)
                self.assertEqual(failure.code, "malformed")

    async def test_a_trickle_moves_no_deadline(self):
        head = OK % (STREAM, b"")
        failure = await self.failure(
            (p for p in [head, *[b": still here\n"] * 200]), 0.2, call_timeout_s=1.5
        )
        self.assertEqual(failure.code, "timeout")
        failure = await self.failure([b"HTTP/1.1 200 OK\r\n", *[b"X-A: b\r\n"] * 200], 0.2,
                                     call_timeout_s=1.5)  # fmt: skip
        self.assertEqual(failure.code, "timeout")

    async def test_no_http_and_long_heads(self):
        for pieces in ([b"SSH-2.0-hello\r\n"], [OK % (STREAM, b"X: " + b"y" * 90_000 + b"\r\n")]):
            with self.subTest(pieces[0][:20]):
                self.assertIn((await self.failure(pieces)).code, ("malformed", "unreachable"))

    async def test_heads_without_end_are_given_up_at_once(self):
        def head():
            yield b"HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\n"
            yield from for_ever(b"X-Again: and again\r\n" * 100)

        began = time.monotonic()
        failure = await self.failure(head(), call_timeout_s=60)
        self.assertEqual(failure.code, "malformed")
        self.assertLess(time.monotonic() - began, 30)

    async def test_retry_after_is_capped(self):
        for header, wait in (
            ("86400", 120),
            ("inf", 120),
            ("1e400", 120),
            ("nan", None),
            ("-5", 0),
        ):
            with self.subTest(header):
                head = f"HTTP/1.1 429 Slow\r\nRetry-After: {header}\r\nConnection: close\r\n\r\n"
                failure = await self.failure([head.encode()])
                self.assertEqual((failure.code, failure.retry_after_s), ("throttled", wait))

    async def test_odd_values_are_kept_as_what_can_be_kept(self):
        usage = ', "usage": {"prompt_tokens": 9007199254740993, "completion_tokens": -4}'
        answer = await self.ask(
            [
                OK % (STREAM, b""),
                spoken('"a\\ud800b\\u0000c"', '["stop", 1]', usage),
                event("[DONE]"),
            ]
        )
        self.assertEqual(answer.text, "a\ufffdb\ufffdc")
        self.assertEqual(answer.finish_reason, "(list)")
        self.assertEqual((answer.usage.tokens_in, answer.usage.tokens_out), (None, None))

    async def test_a_key_that_comes_back_is_taken_out(self):
        half = len(KEY) // 2
        pieces = [spoken(f'"say {KEY[:half]}"', "null"), spoken(f'"{KEY[half:]} done"')]
        heard = []
        answer = await self.ask([OK % (STREAM, b""), *pieces, event("[DONE]")], heard=heard.append)
        self.assertEqual(answer.text, f"say {TAKEN_OUT} done")
        self.assertEqual("".join(heard), answer.text)
        failure = await self.failure([
            f"HTTP/1.1 400 No\r\nConnection: close\r\n\r\nbad {KEY}".encode()
        ])  # fmt: skip
        self.assertNotIn(KEY, str(failure))

    async def test_what_is_no_model_server_tells_nothing_of_its_body(self):
        head = b"HTTP/1.1 %s\r\nContent-Type: %s\r\nConnection: close\r\n\r\n"
        secret = "pw-of-the-ledger-service"
        for status, kind, body in [
            (b"200 OK", JSON, f'{{"password": "{secret}"}}'),
            (b"200 OK", JSON, f'["{secret}"]'),
            (b"200 OK", STREAM, f"data: {secret}\n\n"),
            (b"200 OK", b"text/plain", secret),
            (b"200 OK", b"text/html", f"<html><title>{secret}</title></html>"),
            (b"500 Oops", b"text/plain", secret),
            (b"403 No", b"text/html", f"<!doctype html><title>{secret}</title>"),
            (b"400 No", JSON, f'{{"rows": ["{secret}"]}}'),
        ]:
            with self.subTest(status=status, kind=kind):
                failure = await self.failure([head % (status, kind) + body.encode()])
                self.assertNotIn(secret, f"{failure} {failure.detail} {failure.whole}")

    async def test_an_error_of_a_model_server_is_told_in_each_of_its_forms(self):
        head = b"HTTP/1.1 422 No\r\nContent-Type: application/json\r\nConnection: close\r\n\r\n"
        for body in (
            '{"error": {"message": "top_k must be positive", "type": "bad"}}',
            '{"error": "top_k must be positive"}',
            '{"message": "top_k must be positive"}',
            '{"detail": [{"loc": ["body"], "msg": "top_k must be positive"}]}',
        ):
            with self.subTest(body):
                failure = await self.failure([head + body.encode()])
                self.assertIn("top_k must be positive", failure.detail)

    async def test_tokens_of_what_broke_off_are_reported_or_estimated(self):
        begun = OK % (STREAM, b"") + spoken('"the tide turns at"', "null")
        usage = event('{"choices": [], "usage": {"prompt_tokens": 70, "completion_tokens": 9}}')
        body = {"messages": [{"content": "when does the tide turn?"}]}

        async def wasted(pieces, pause=0.0, **more):
            with self.assertRaises(CallFailure) as caught:
                async with Raw(pieces, pause) as connection, ModelClient(keys={"K": KEY}) as client:
                    await client.call(replace(connection, **more), "m", body)
            return caught.exception.waste

        told = await wasted([begun + usage])
        self.assertEqual((told.tokens_in, told.tokens_out), (70, 9))
        guessed = await wasted([begun])
        self.assertTrue(5 <= guessed.tokens_in <= 20 and 3 <= guessed.tokens_out <= 8, guessed)
        twice = await wasted([begun], max_attempts=2)
        self.assertEqual(twice.tokens_out, 2 * guessed.tokens_out)
        refused = await wasted([b"HTTP/1.1 503 No\r\nConnection: close\r\n\r\n"])
        self.assertEqual((refused.tokens_in, refused.tokens_out), (0, 0))


class BlotterTest(unittest.TestCase):
    def test_every_form_of_a_key(self):
        blot = Blotter(KEY)
        key = KEY + "/+="
        for text in (KEY, KEY[3:20], quote(KEY, safe="")):
            self.assertNotIn(text, blot(f"it is {text}."))
        other = Blotter(key)
        for before in ("", "a", "ab", "abc"):
            packed = base64.b64encode(f"{before}{key} and more".encode()).decode()
            shown = other(packed)
            self.assertIn(TAKEN_OUT, shown)
            # What is left of it gives nothing of the middle away.
            self.assertLess(len(shown.replace(TAKEN_OUT, "")), len(packed) - len(key))

    def test_texts_without_it_and_short_keys_stay(self):
        self.assertEqual(Blotter(KEY)("an ordinary nk- text"), "an ordinary nk- text")
        self.assertEqual(Blotter("abc")("abc"), "abc")
        live = LiveBlotter(Blotter(KEY))
        said = [live.feed(p) for p in ("a nk", "otted rope, nk-", "4x")]
        self.assertEqual("".join(said) + live.rest(), "a nkotted rope, nk-4x")


if __name__ == "__main__":
    unittest.main()
