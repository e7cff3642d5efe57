"""Scoring in bounds: a score that cannot be worked out is missing, and nothing else is touched."""

import asyncio
import json
import os
import threading
import time
import unittest
from unittest import mock

from nomikon.core.errors import ScorecardError
from nomikon.core.measures import Answer, read_scorecard, score_answer
from nomikon.core.measures.base import UNSCORED
from nomikon.core.trials import Outcome
from nomikon.engine.scoring import Job, pool, score_many, score_one
from nomikon.engine.scoring.jobs import DONE
from nomikon.engine.wire import receive, send

ANSWERED = Outcome("answered", "")
SLOW = {"measure": "edit-similarity", "name": "slow"}
RIGHT = {"measure": "exact-match", "name": "right"}


def job(measures, output, reference="yes"):
    card = json.dumps({"nomikon": "scorecard/1", "measures": measures})
    return Job(card, (Answer(output, reference),), (ANSWERED,), ({},))


def scored(measures, output, reference="yes"):
    ((scores,),) = score_many([job(measures, output, reference)])
    return scores


class WireTest(unittest.TestCase):
    def test_a_message_larger_than_a_pipe_comes_whole(self):
        source, out = os.pipe()
        with open(source, "rb", buffering=0) as reading, open(out, "wb") as writing:
            sending = threading.Thread(target=send, args=(writing, "x" * 300_000))
            sending.start()
            self.assertEqual(receive(reading), "x" * 300_000)
            sending.join()

    def test_a_message_torn_within_a_batch_leaves_nobody_waiting(self):
        done = []

        def torn(source):
            message = receive(source)
            if message[0] == DONE:
                done.append(message)
                if len(done) == 2:
                    raise ValueError("torn")
            return message

        with mock.patch.object(pool, "PROCESSES", 1), mock.patch.object(pool, "receive", torn):
            ours = pool._Pool()
            self.addCleanup(ours.close)
            # All three are there before the first process starts, so that they are one batch.
            with mock.patch.object(pool.threading.Thread, "start"):
                futures = [ours.submit(job([SLOW], "yes")) for _ in range(3)]
            threading.Thread(target=ours._workers[0].run, daemon=True).start()
            first, second, third = (future.result(timeout=60)[0] for future in futures)
        self.assertEqual(first.by_name["slow"].value, 1.0)
        self.assertIn("ValueError", second.by_name["slow"].why)
        self.assertEqual(third.by_name["slow"].value, 1.0)


class BoundsTest(unittest.TestCase):
    def setUp(self):
        # The bounds are the pool's own; shorter ones keep the tests quick.
        for name, value in (("CPU_S", 0.5), ("_made", None)):
            patched = mock.patch.object(pool, name, value)
            patched.start()
            self.addCleanup(patched.stop)
        self.addCleanup(lambda: pool._made and pool._made.close())

    def test_an_answer_that_takes_for_ever_costs_one_score(self):
        began = time.monotonic()
        found = list(
            score_many(
                [
                    job([RIGHT, SLOW], "ab" * 400_000, "ba" * 400_000),
                    job([RIGHT, SLOW], "yes"),
                ]
            )
        )
        self.assertLess(time.monotonic() - began, 30)
        (first,), (second,) = found
        self.assertEqual(first.by_name["right"].value, 0.0)
        self.assertEqual(
            (first.by_name["slow"].value, first.by_name["slow"].code), (None, UNSCORED)
        )
        self.assertIn("longer than a score may", first.by_name["slow"].why)
        self.assertIsNone(first.total.value)
        self.assertEqual(second.total.value, 1.0)

    def test_what_a_measure_runs_into_is_its_own(self):
        deep = "[" * 100_000 + "]" * 100_000
        shape = {"measure": "valid-json", "name": "shape"}
        for output in (deep, '{"n": ' + "9" * 5000 + "}", '{"n": 1e999}', "\ud800"):
            with self.subTest(output[:20]):
                scores = scored([shape, {"measure": "exact-match", "name": "same"}], output, output)
                self.assertEqual(scores.by_name["same"].value, 1.0)

    def test_a_process_that_dies_takes_one_score_along(self):
        with mock.patch.object(pool, "WALL_S", 2.0):
            scores = scored([{"measure": "edit-similarity", "name": "slow"}, RIGHT], "ab" * 700_000,
                            "ba" * 700_000)  # fmt: skip
        self.assertEqual(scores.by_name["right"].value, 0.0)
        self.assertIsNone(scores.by_name["slow"].value)

    def test_a_stop_does_not_wait_for_a_score(self):
        async def main():
            task = asyncio.create_task(score_one(job([SLOW], "ab" * 300_000, "ba" * 300_000)))
            await asyncio.sleep(0.2)
            began = time.monotonic()
            task.cancel()
            await asyncio.gather(task, return_exceptions=True)
            return time.monotonic() - began

        self.assertLess(asyncio.run(main()), 0.5)

    def test_the_same_scores_as_in_the_loop(self):
        card = {
            "nomikon": "scorecard/1",
            "measures": [
                RIGHT,
                {"measure": "chrf"},
                {"measure": "regex", "pattern": "^y"},
                {"measure": "expression", "is": "scores.right > 0.5"},
            ],
        }
        outputs = ["yes", "no", "", "yes!" * 30]
        jobs = [Job(json.dumps(card), (Answer(o, "yes"),), (ANSWERED,), ({},)) for o in outputs]
        for output, (scores,) in zip(outputs, score_many(jobs), strict=True):
            self.assertEqual(
                scores, score_answer(read_scorecard(card), Answer(output, "yes"), ANSWERED)
            )


class RefusedTest(unittest.TestCase):
    """What could never be scored is refused where it is written."""

    def test_schemas_and_expressions_without_end(self):
        deep = schema = {}
        for _ in range(300):
            deep["items"] = deep = {}
        doubling = {f"d{n}": {"allOf": [{"$ref": f"#/$defs/d{n + 1}"}] * 2} for n in range(26)}
        refused = {
            "nested 300 deep": schema,
            "itself": {"$ref": "#"},
            "in a circle": {
                "$defs": {"a": {"$ref": "#/$defs/b"}, "b": {"allOf": [{"$ref": "#/$defs/a"}]}},
                "$ref": "#/$defs/a",
            },
            "doubling": {"$defs": {**doubling, "d26": True}, "$ref": "#/$defs/d0"},
            "no pattern": {"type": "string", "pattern": "(["},
        }
        for name, one in refused.items():
            with self.subTest(name), self.assertRaises(ScorecardError):
                measured({"measure": "json-schema", "schema": one})
        for name, text in (("terms", "+".join(["1"] * 700)), ("signs", "-" * 1_999 + "1")):
            with self.subTest(name), self.assertRaises(ScorecardError):
                measured({"measure": "expression", "is": text})

    def test_ordinary_recursive_schemas_are_taken(self):
        tree = {"type": "object", "properties": {"kids": {"items": {"$ref": "#"}}}}
        measured({"measure": "json-schema", "schema": tree})


def measured(measure):
    return read_scorecard({"nomikon": "scorecard/1", "measures": [measure]})


if __name__ == "__main__":
    unittest.main()
