"""Texts as vectors: from the stand-in, and from servers that answer otherwise."""

import math
import unittest

from aiohttp.test_utils import TestServer

from nomikon.models import CallFailure, Connection
from nomikon.models.client import ModelClient
from nomikon.models.embeddings import BATCH, read_embeddings
from nomikon_standin.server import Standin
from tests.asking import AsyncCase


class EmbeddingsTest(AsyncCase):
    async def test_many_texts_come_back_in_their_order(self):
        server = TestServer(Standin(pace=0).app())
        await server.start_server()
        self.addAsyncCleanup(server.close)
        there = Connection("1", 1, "chat-completions", str(server.make_url("/v1")))
        texts = [f"the boat was {n} minutes late" for n in range(BATCH + 3)] + ["cold soup again"]
        async with ModelClient(keys={}) as client:
            found = await client.embed(there, "standin-flint", texts)
            self.assertEqual(len(found.vectors), len(texts))
            self.assertGreater(found.tokens_in, len(texts))
            near = sum(a * b for a, b in zip(found.vectors[0], found.vectors[-2], strict=True))
            far = sum(a * b for a, b in zip(found.vectors[0], found.vectors[-1], strict=True))
            self.assertGreater(near, far + 0.3)
            with self.assertRaises(CallFailure) as caught:
                await client.embed(there, "no-such", ["a"])
            self.assertEqual(caught.exception.code, "unknown_model")
            other = Connection("1", 1, "open-inference", str(server.make_url("/v2")))
            with self.assertRaises(CallFailure) as caught:
                await client.embed(other, "standin-flint", ["a"])
            self.assertEqual(caught.exception.code, "refused")


class ReadTest(unittest.TestCase):
    def test_vectors_are_put_in_order_and_to_length_one(self):
        rows = [{"index": 1, "embedding": [0, 2]}, {"index": 0, "embedding": [3, 4]}]
        found = read_embeddings({"data": rows}, 2)
        self.assertEqual((found.vectors, found.tokens_in), (((0.6, 0.8), (0.0, 1.0)), None))
        without = read_embeddings({"data": [{"embedding": [0, 0]}]}, 1)
        self.assertEqual(without.vectors, ((0.0, 0.0),))

    def test_what_is_no_list_of_vectors_is_told(self):
        for rows in (
            None,
            [],
            [{"embedding": [1]}, {"embedding": [1]}],
            [{"embedding": "abc"}],
            [{"embedding": []}],
            [{"embedding": [math.nan]}],
            [{"embedding": [True]}],
            [{"index": 5, "embedding": [1]}],
            ["x"],
        ):
            with self.subTest(rows=rows), self.assertRaises(CallFailure) as caught:
                read_embeddings({"data": rows}, 1)
            self.assertEqual(caught.exception.code, "malformed")
