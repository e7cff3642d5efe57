"""The wire format: bodies sent, streams read, failures told apart. No socket is opened."""

import json
import unittest

from nomikon.core.prompts import Message
from nomikon.models.errors import FAILURES, RETRIED, CallFailure, failure_of_status
from nomikon.models.protocols.chat import ChatCompletions, ChatReader, read_usage


def data(**event):
    return b"data: " + json.dumps(event).encode()


def piece(text=None, finish=None):
    return data(
        choices=[{"delta": {"content": text} if text else {}, "finish_reason": finish}],
        model="m",
        system_fingerprint="f1",
    )


class RequestBodyTest(unittest.TestCase):
    def test_only_what_is_set_and_supported_is_sent(self):
        body = ChatCompletions().body(
            "m",
            [Message("user", "hi")],
            {"temperature": 0.0, "top_k": 5, "stop": ["END"], "max_tokens": 9},
            seed=3,
            unsupported=("top_k", "seed"),
        )
        self.assertEqual(
            body,
            {
                "model": "m",
                "messages": [{"role": "user", "content": "hi"}],
                "stream": True,
                "stream_options": {"include_usage": True},
                "temperature": 0.0,
                "stop": ["END"],
                "max_tokens": 9,
            },
        )

    def test_a_schema_becomes_the_response_format(self):
        body = ChatCompletions().body("m", [], {"response_schema": {"type": "object"}}, seed=1)
        self.assertEqual(body["response_format"]["json_schema"]["schema"], {"type": "object"})
        self.assertEqual(body["seed"], 1)


class ChatReaderTest(unittest.TestCase):
    def read(self, *lines):
        reader = ChatReader()
        for line in lines:
            reader.feed(line)
        return reader

    def test_pieces_usage_and_end(self):
        reader = self.read(
            b": comment",
            b"",
            piece("Hel"),
            piece("lo"),
            piece(None, "stop"),
            data(choices=[], usage={"prompt_tokens": 7, "completion_tokens": 2}),
            b"data: [DONE]",
        )
        reader.check_complete()
        self.assertEqual((reader.text, reader.finish_reason, reader.done), ("Hello", "stop", True))
        self.assertEqual((reader.usage.tokens_in, reader.usage.tokens_out), (7, 2))
        self.assertEqual(reader.identity, "m f1")

    def test_a_stream_that_breaks_off_is_no_answer(self):
        with self.assertRaises(CallFailure) as caught:
            self.read(piece("Hel")).check_complete()
        self.assertEqual(caught.exception.code, "dropped_stream")

    def test_an_end_mark_alone_is_no_answer(self):
        # As a server closes what it breaks off when the next request comes.
        for lines in (
            [b"data: [DONE]"],
            [piece(None), b"data: [DONE]"],
            [data(choices=[], usage={"prompt_tokens": 7, "completion_tokens": 0}), b"data: [DONE]"],
        ):
            with self.subTest(lines=lines), self.assertRaises(CallFailure) as caught:
                self.read(*lines).check_complete()
            self.assertEqual(caught.exception.code, "dropped_stream")
            self.assertTrue(caught.exception.may_retry)
        # A model that ends without a word says so by its reason, and not every server tells one.
        self.read(piece(None, "stop"), b"data: [DONE]").check_complete()
        self.read(piece("Hello"), b"data: [DONE]").check_complete()

    def test_garbage_is_malformed(self):
        for line in (b'data: {"choices": [{"delta"', b"data: 5", b'data: {"choices": ["x"]}'):
            with self.subTest(line=line), self.assertRaises(CallFailure) as caught:
                self.read(line)
            self.assertEqual(caught.exception.code, "malformed")

    def test_an_error_inside_the_stream_is_told(self):
        with self.assertRaises(CallFailure) as caught:
            self.read(data(error={"message": "out of memory"}))
        self.assertIn("out of memory", str(caught.exception))

    def test_what_comes_in_fields_of_its_own_is_kept_apart(self):
        for name in ("reasoning_content", "reasoning", "thinking"):
            with self.subTest(name=name):
                reader = self.read(
                    data(choices=[{"delta": {name: "Let me "}}]),
                    data(choices=[{"delta": {name: "see."}}]),
                    piece("Hello"),
                    piece(None, "stop"),
                )
                self.assertEqual((reader.text, reader.reasoning), ("Hello", "Let me see."))
        # Under two names at once it is said once.
        reader = self.read(data(choices=[{"delta": {"reasoning": "a", "reasoning_content": "a"}}]))
        self.assertEqual(reader.reasoning, "a")

    def test_refusals_and_tools(self):
        reader = self.read(
            data(choices=[{"delta": {"refusal": "I will "}}]),
            data(choices=[{"delta": {"refusal": "not."}, "finish_reason": "stop"}]),
        )
        reader.check_complete()
        self.assertEqual((reader.text, reader.refusal), ("", "I will not."))

        def call(**function):
            return data(choices=[{"delta": {"tool_calls": [{"index": 0, "function": function}]}}])

        reader = self.read(
            call(name="look_up", arguments='{"q"'),
            call(arguments=": 1}"),
            piece(None, "tool_calls"),
        )
        self.assertEqual(reader.tool_calls, (("look_up", '{"q": 1}'),))

    def test_answers_of_several_parts(self):
        reader = ChatReader()
        parts = [{"type": "thinking", "thinking": "hm"}, {"type": "text", "text": "hi"}]
        reader.read_whole({"choices": [{"message": {"content": parts}, "finish_reason": "stop"}]})
        self.assertEqual((reader.text, reader.reasoning), ("hi", "hm"))
        reader = ChatReader()
        reader.read_whole({"choices": [{"message": {"content": None, "refusal": "no"}}]})
        self.assertEqual((reader.text, reader.refusal), ("", "no"))

    def test_error_objects_are_told_by_what_they_say(self):
        for error, code in (
            ({"message": "too many", "code": 429}, "throttled"),
            ({"message": "bad", "status": "400"}, "refused"),
            ({"message": "slow down", "type": "rate_limit_exceeded"}, "throttled"),
            ({"message": "prompt exceeds the context length"}, "context_too_long"),
            ("out of memory", "error_in_answer"),
            ({"detail": "odd"}, "error_in_answer"),
        ):
            for read in (
                lambda e: self.read(data(error=e)),
                lambda e: ChatReader().read_whole({"error": e}),
            ):
                with self.subTest(error=error), self.assertRaises(CallFailure) as caught:
                    read(error)
                self.assertEqual(caught.exception.code, code)

    def test_parts_of_the_token_counts(self):
        usage = read_usage(
            {
                "prompt_tokens": 9, "completion_tokens": 7,
                "prompt_tokens_details": {"cached_tokens": 4},
                "completion_tokens_details": {"reasoning_tokens": 5},
            }
        )  # fmt: skip
        self.assertEqual((usage.tokens_cached, usage.tokens_reasoning), (4, 5))

    def test_whole_answers(self):
        reader = ChatReader()
        reader.read_whole(
            {"model": "m", "choices": [{"message": {"content": "hi"}, "finish_reason": "stop"}]}
        )
        self.assertEqual((reader.text, reader.finish_reason), ("hi", "stop"))
        for document in ({}, {"choices": []}, [], "x", {"choices": [{"message": {}}]}):
            with self.subTest(document=document), self.assertRaises(CallFailure):
                ChatReader().read_whole(document)

    def test_counts_that_are_none(self):
        usage = read_usage({"prompt_tokens": "7", "completion_tokens": -1})
        self.assertEqual((usage.tokens_in, usage.tokens_out), (None, None))


class FailureTest(unittest.TestCase):
    def test_statuses(self):
        for status, body, code in [
            (429, "", "throttled"),
            (401, "", "bad_key"),
            (403, "", "bad_key"),
            (404, "", "unknown_model"),
            (500, "", "server_error"),
            (503, "", "server_error"),
            (400, "maximum context is 2048", "context_too_long"),
            (400, "bad", "refused"),
            (302, "", "refused"),
            (404, "<!DOCTYPE html><html><title>Nothing here</title>", "web_page"),
            (502, "<html><body>bad gateway</body></html>", "server_error"),
        ]:
            with self.subTest(status=status, body=body):
                self.assertEqual(failure_of_status(status, body, None).code, code)

    def test_retry_after_is_read_and_details_are_short(self):
        failure = failure_of_status(429, "x" * 900, "2.5")
        self.assertEqual(failure.retry_after_s, 2.5)
        self.assertLessEqual(len(failure.detail), 200)
        self.assertIsNone(failure_of_status(429, "", "Wed, 21 Oct").retry_after_s)

    def test_only_what_may_help_is_tried_again(self):
        self.assertLess(set(RETRIED), set(FAILURES))
        for code in ("bad_key", "unknown_model", "context_too_long", "refused", "no_key"):
            self.assertFalse(CallFailure(code).may_retry, code)
