"""The stand-in's two protocols, its limits and its faults."""

import json
import tempfile
import unittest
from pathlib import Path

from aiohttp.test_utils import TestClient, TestServer

from nomikon_standin import tokens
from nomikon_standin.faults import Delay, Fault, FaultPlan, Limit, read_faults
from nomikon_standin.server import Standin
from tests.asking import AsyncCase

LONG = "Summarise in plain words.\n\nText: " + "The old pier was closed for repairs in May. " * 8


class ServerTest(AsyncCase):
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

    async def test_an_answer_that_was_cut_is_gone_on_with_when_asked(self):
        _, whole = await self.chat()
        whole = whole["choices"][0]["message"]["content"]
        half = whole[: whole.index(" ", len(whole) // 2)]
        last = " ".join(half.split()[-3:])
        for wish, expected in [
            ("Your reply was cut off. Please continue.", whole[len(half) :].strip()),
            ("Go on.", whole[len(half) :].strip()),
            (f"That is incomplete. Start again from “{last}” and keep going.",
             last + whole[len(half) :]),
        ]:  # fmt: skip
            with self.subTest(wish=wish):
                messages = [
                    {"role": "user", "content": LONG},
                    {"role": "assistant", "content": half},
                    {"role": "user", "content": wish},
                ]
                _, got = await self.chat(messages=messages)
                self.assertEqual(got["choices"][0]["message"]["content"], expected)

    async def test_a_new_question_after_an_answer_is_no_wish_to_go_on(self):
        messages = [
            {"role": "user", "content": LONG},
            {"role": "assistant", "content": "It was closed."},
            {"role": "user", "content": "Answer with the one word: finished."},
        ]
        _, got = await self.chat(messages=messages)
        self.assertIn("finished", got["choices"][0]["message"]["content"].lower())

    async def test_limits_hold_and_breaches_are_counted(self):
        self.standin.faults = FaultPlan(limits={"standin-boulder": Limit(requests_per_minute=3)})
        statuses = [(await self.chat())[0] for _ in range(5)]
        self.assertEqual(statuses, [200, 200, 200, 429, 429])
        log = await (await self.client.get("/log?window_s=60")).json()
        self.assertEqual(log["refused"], {"standin-boulder": 2})
        self.assertEqual(log["most_in_window"], {"standin-boulder": 5})

    async def test_answers_are_cut_short_with_and_without_a_word(self):
        _, whole = await self.chat()
        whole = whole["choices"][0]["message"]["content"]
        for kind, reason in (("truncate", "length"), ("break-off", "stop")):
            with self.subTest(kind=kind):
                self.standin.faults = FaultPlan([Fault(kind, 1)])
                _, got = await self.chat()
                choice = got["choices"][0]
                self.assertEqual(choice["finish_reason"], reason)
                self.assertLess(len(choice["message"]["content"]), len(whole))

    async def test_the_second_protocol_meets_the_same_faults_and_lists_its_models(self):
        self.standin.faults = FaultPlan([Fault("http-503", 1)])
        path = "/v2/models/standin-boulder/generate"
        got = await self.client.post(path, json={"text_input": LONG})
        self.assertEqual(got.status, 503)
        names = [m["name"] for m in await (await self.client.post("/v2/repository/index")).json()]
        self.assertIn("standin-flint", names)


class TokensTest(unittest.TestCase):
    def test_pieces_give_the_text_back(self):
        for text in ("", "Hello there, 12345 of  you.\n\nÄpfel — 😀", "a" * 17):
            self.assertEqual("".join(tokens.pieces(text)), text)
            self.assertEqual(tokens.count(text), len(tokens.pieces(text)))


class FaultFileTest(unittest.TestCase):
    def test_shares_and_bad_files(self):
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


class DelayTest(unittest.TestCase):
    def test_delays_follow_their_distribution(self):
        rolls = [(i + 0.5) / 2000 for i in range(2000)]
        for kind, parameters, mean in [
            ("constant", (40.0,), 40),
            ("uniform", (10.0, 30.0), 20),
            ("exponential", (50.0,), 50),
            # Mean of a lognormal: median × exp(sigma² ÷ 2).
            ("lognormal", (100.0, 0.5), 100 * 2.718281828**0.125),
        ]:
            with self.subTest(kind=kind):
                drawn = [Delay(kind, parameters).drawn(r) for r in rolls]
                self.assertAlmostEqual(sum(drawn) / len(drawn), mean, delta=mean * 0.02)

    def test_a_bad_plan_is_refused_with_what_is_wrong(self):
        for document, words in [
            ([], "JSON object"),
            ({"fault": []}, "unknown entry"),
            ({"faults": [{"kind": "x", "share": 1}]}, "unknown fault"),
            ({"faults": [{"kind": "slow", "share": 2}]}, "between 0 and 1"),
            ({"faults": [{"kind": "slow", "share": 1, "colour": 1}]}, "no 'colour'"),
            ({"faults": [{"kind": "slow", "share": 1, "delay": {"distribution": "x"}}]}, "unknown d"),
            (
                {"faults": [{"kind": "slow", "share": 1, "delay": {"distribution": "uniform"}}]},
                "low_ms",
            ),
            ({"limits": {"m": {"requests_per_minute": 0}}}, "above 0"),
            ({"limits": {"m": {"colour": 1}}}, "no 'colour'"),
        ]:  # fmt: skip
            with self.subTest(document=document), tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "faults.json"
                path.write_text(json.dumps(document))
                with self.assertRaisesRegex(ValueError, words):
                    read_faults(path)
