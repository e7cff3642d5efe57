"""The second protocol: bodies, streams, lists of models. No socket is opened."""

import json
import unittest

from nomikon.core.prompts import Message
from nomikon.models.errors import CallFailure
from nomikon.models.protocols import PROTOCOLS, texts_of
from nomikon.models.protocols.generate import GenerateReader, OpenInference


class GenerateTest(unittest.TestCase):
    def test_one_text_goes_in_and_only_what_is_supported(self):
        body = OpenInference().body(
            "m",
            [Message("system", "Be brief."), Message("user", "Is it wet?")],
            {"temperature": 0.0, "top_k": 3, "response_schema": {}},
            seed=4,
            unsupported=("top_k",),
        )
        self.assertEqual(body["text_input"], "Be brief.\n\nIs it wet?")
        self.assertEqual(body["parameters"], {"temperature": 0.0, "seed": 4})
        self.assertEqual(texts_of(body), ["Be brief.\n\nIs it wet?"])

    def test_a_stream_is_read_piece_by_piece(self):
        reader = GenerateReader()
        for event in (
            {"model_name": "m", "model_version": "3", "text_output": "It "},
            {"text_output": "is."},
            {"text_output": "", "details": {"finish_reason": "stop", "generated_tokens": 2,
                                            "prompt_tokens": 9}},
        ):  # fmt: skip
            reader.feed(b"data: " + json.dumps(event).encode())
        self.assertEqual((reader.text, reader.finish_reason), ("It is.", "stop"))
        self.assertEqual((reader.usage.tokens_in, reader.usage.tokens_out), (9, 2))
        self.assertEqual(reader.identity, "m 3")

    def test_what_is_no_answer_is_told(self):
        for line in (b"data: {", b"data: 3", b'data: {"error": "no such model"}'):
            with self.subTest(line=line), self.assertRaises(CallFailure):
                GenerateReader().feed(line)
        with self.assertRaises(CallFailure):
            GenerateReader().read_whole({"outputs": []})


class AddressTest(unittest.TestCase):
    def test_addresses(self):
        for protocol, base, expected in [
            ("chat-completions", "http://h/v1/", "http://h/v1/chat/completions"),
            ("open-inference", "http://h", "http://h/v2/models/a%2Fb/generate_stream"),
            ("open-inference", "http://h/v2/", "http://h/v2/models/a%2Fb/generate_stream"),
        ]:
            with self.subTest(base=base):
                self.assertEqual(PROTOCOLS[protocol].url(base, "a/b"), expected)
        self.assertEqual(
            PROTOCOLS["open-inference"].list_request("http://h"),
            ("POST", "http://h/v2/repository/index"),
        )

    def test_lists_of_models(self):
        found = PROTOCOLS["chat-completions"].read_list(
            {"data": [{"id": "a", "context_length": 4096}, {"id": "b"}]}
        )
        self.assertEqual([(m.name, m.context_length) for m in found], [("a", 4096), ("b", None)])
        self.assertEqual(PROTOCOLS["open-inference"].read_list([{"name": "c"}])[0].name, "c")
        for document in ({}, {"data": "x"}, {"data": [{}]}, "<html>", None):
            with self.subTest(document=document), self.assertRaises(CallFailure):
                PROTOCOLS["chat-completions"].read_list(document)
