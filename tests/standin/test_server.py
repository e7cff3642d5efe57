"""The stand-in's two protocols, its limits and its faults."""

import json
import unittest

from aiohttp.test_utils import TestClient, TestServer

from nomikon.standin import tokens
from nomikon.standin.faults import Fault, FaultPlan, read_faults
from nomikon.standin.server import Standin

LONG = "Summarise in plain words.\n\nText: " + "The old pier was closed for repairs in May. " * 8


class ServerTest(unittest.IsolatedAsyncioTestCase):
    async def asyncSetUp(self):
        self.standin = Standin(pace=0)
        self.client = TestClient(TestServer(self.standin.app()))
        await self.client.start_server()

    async def asyncTearDown(self):
        await self.client.close()

    async def chat(self, text=LONG, **more):
        body = {
            "model": "standin-boulder",
            "messages": [{"role": "user", "content": text}],
            "temperature": 0,
            **more,
        }
        response = await self.client.post("/v1/chat/completions", json=body)
        return response.status, await response.json()

    async def test_the_output_limit_cuts_and_says_so(self):
        _, whole = await self.chat()
        _, cut = await self.chat(max_tokens=5)
        self.assertEqual(whole["choices"][0]["finish_reason"], "stop")
        self.assertEqual(cut["choices"][0]["finish_reason"], "length")
        text = cut["choices"][0]["message"]["content"]
        self.assertEqual(tokens.count(text), 5)
        self.assertTrue(whole["choices"][0]["message"]["content"].startswith(text))
        self.assertEqual(cut["usage"]["completion_tokens"], 5)

    async def test_stop_sequences_end_the_answer_and_are_left_out(self):
        _, got = await self.chat(stop=["closed"])
        self.assertNotIn("closed", got["choices"][0]["message"]["content"])

    async def test_the_stream_says_what_the_whole_answer_says(self):
        _, whole = await self.chat()
        response = await self.client.post(
            "/v1/chat/completions",
            json={
                "model": "standin-boulder",
                "messages": [{"role": "user", "content": LONG}],
                "temperature": 0,
                "stream": True,
                "stream_options": {"include_usage": True},
            },
        )
        lines = (await response.text()).split("\n\n")
        self.assertEqual(lines[-2], "data: [DONE]")
        events = [json.loads(line[6:]) for line in lines[:-2]]
        text = "".join(e["choices"][0]["delta"].get("content", "") for e in events if e["choices"])
        self.assertEqual(text, whole["choices"][0]["message"]["content"])
        self.assertEqual(events[-1]["usage"], whole["usage"])

    async def test_refusals(self):
        for more, status in [
            ({"model": "nobody"}, 404),
            ({"messages": []}, 400),
            ({"messages": "x"}, 400),
            ({"messages": [{"role": "user", "content": 5}]}, 400),
            ({"temperature": 9}, 400),
            ({"max_tokens": 0}, 400),
            ({"stop": [3]}, 400),
            ({"model": "standin-pebble", "max_tokens": 5000}, 400),
        ]:
            with self.subTest(more=more):
                got, body = await self.chat(**more)
                self.assertEqual(got, status)
                self.assertTrue(body["error"]["message"])
        response = await self.client.post("/v1/chat/completions", data=b"not json")
        self.assertEqual(response.status, 400)

    async def test_the_open_inference_protocol_gives_the_same_answer(self):
        _, chat = await self.chat()
        body = {"text_input": LONG, "parameters": {"temperature": 0}}
        response = await self.client.post("/v2/models/standin-boulder/generate", json=body)
        got = await response.json()
        self.assertEqual(got["text_output"], chat["choices"][0]["message"]["content"])
        stream = await self.client.post("/v2/models/standin-boulder/generate_stream", json=body)
        events = [json.loads(x[6:]) for x in (await stream.text()).strip().split("\n\n")]
        self.assertEqual("".join(e["text_output"] for e in events), got["text_output"])
        self.assertEqual(events[-1]["details"]["finish_reason"], "stop")

    async def test_every_call_is_counted(self):
        await self.chat()
        self.standin.faults = FaultPlan([Fault("http-500", 1.0)])
        await self.chat()
        log = await (await self.client.get("/log")).json()
        self.assertEqual(
            log["counts"], {"standin-boulder answered": 1, "standin-boulder http-500": 1}
        )


class TokensTest(unittest.TestCase):
    def test_pieces_give_the_text_back(self):
        for text in ("", "Hello there, 12345 of  you.\n\nÄpfel — 😀", "a" * 17):
            self.assertEqual("".join(tokens.pieces(text)), text)
            self.assertEqual(tokens.count(text), len(tokens.pieces(text)))


class FaultFileTest(unittest.TestCase):
    def test_shares_and_bad_files(self):
        import tempfile
        from pathlib import Path

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "faults.json"
            path.write_text('{"faults": [{"kind": "http-500", "share": 0.3}]}')
            plan = read_faults(path)
            hit = sum(plan.next_for("m") is not None for _ in range(2000))
            self.assertAlmostEqual(hit / 2000, 0.3, delta=0.05)
            for bad in (
                '{"faults": [{"kind": "nap", "share": 1}]}',
                '{"faults": [{"kind": "http-500", "share": 2}]}',
            ):
                path.write_text(bad)
                with self.assertRaises(ValueError):
                    read_faults(path)
