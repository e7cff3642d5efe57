"""The cluster executor on a two-worker local cluster: the same outputs as at home."""

import asyncio
import json
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from distributed import Client

from nomikon.core.prompts import Message
from nomikon.engine.cluster import ClusterError, ClusterExecutor
from nomikon.engine.coordinator import run_trial
from nomikon.engine.executors import LocalExecutor
from nomikon.engine.units import ArmSpec
from nomikon.models import Connection, Limits
from nomikon.models.client import ModelClient
from tests.engine.test_coordinator import MemoryStore, spec
from tests.processes import Processes, free_port, listening, wait_until

PROMPT = """---
nomikon: prompt/1
name: Wet
---
::: user
Answer with one of these labels: wet, dry.

Message: {{x}}
:::
"""
CARD = "nomikon: scorecard/1\nmeasures: [{measure: normalised-match}]\n"
TRIAL = """nomikon: trial/1
prompts: [p.md]
models: [{name: standin-boulder, connection: {base_url: "BASE"}}]
cases: c.csv
scorecard: s.yaml
"""


class ClusterTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.processes = Processes({})
        cls.base = cls.processes.standin("--pace", "0.2")
        # As an operator starts them: each a process of its own, which no test process may fork.
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.addClassCleanup(cls.processes.stop)
        port = free_port()
        cls.address = f"tcp://127.0.0.1:{port}"
        cls.processes.start(
            "distributed.cli.dask_scheduler", "--host", cls.address, "--no-dashboard"
        )
        wait_until(lambda: listening(port), what="the scheduler")
        for _ in range(2):
            cls.processes.start(
                "distributed.cli.dask_worker", cls.address, "--no-nanny", "--no-dashboard",
                "--nthreads", "1", "--local-directory", folder.name,
            )  # fmt: skip
        with Client(cls.address) as client:
            client.wait_for_workers(2, timeout=30)

    def trial(self, **more):
        plain = spec(1, 24, repeats=2)
        connection = Connection("1", 1, "chat-completions", self.base, limits=Limits(concurrency=8))
        text = "Answer with one of these labels: wet, dry.\n\nMessage: {{x}} came over the bow"
        arms = tuple(
            ArmSpec(
                f"a{i}",
                (Message("user", text),),
                {"temperature": 0.7},
                model,
                connection,
                1_000_000_000,
                2_000_000_000,
            )
            for i, model in enumerate(("standin-cobble", "standin-flint"))
        )
        return replace(plain, **{"arms": arms, **more})

    def run_on(self, executor_of, **more):
        store = MemoryStore(self.trial(**more))

        async def go():
            async with ModelClient(keys={}) as client, executor_of(client) as executor:
                return await run_trial(store, executor)

        return asyncio.run(go()), store

    def on_cluster(self, client):
        return ClusterExecutor(self.address)

    def test_the_same_trial_gives_the_same_outputs(self):
        def plain(store):
            return {
                k: (r.text, r.outcome, r.total, r.newly_spent, [c.answer_key for c in r.calls])
                for k, r in store.results.items()
            }

        here, local = self.run_on(LocalExecutor)
        there, remote = self.run_on(self.on_cluster)
        self.assertEqual((here, there, len(local.results)), ("complete", "complete", 96))
        self.assertEqual(plain(local), plain(remote))

    def test_equal_requests_of_two_arms_are_paid_once_over_both_workers(self):
        asked = self.trial().arms[0]
        state, store = self.run_on(self.on_cluster, arms=(asked, replace(asked, key="twin")))
        calls = [c for r in store.results.values() for c in r.calls]
        self.assertEqual((state, len(store.results)), ("complete", 96))
        self.assertEqual(
            len(calls) - sum(c.shared for c in calls), len({c.answer_key for c in calls})
        )
        text = {key: r.text for key, r in store.results.items()}
        self.assertEqual(
            [text["a0", *rest] for arm, *rest in text if arm == "a0"],
            [text["twin", *rest] for arm, *rest in text if arm == "a0"],
        )
        cost = {arm: sum(c.cost for (a, *_), r in store.results.items() if a == arm for c in r.calls)
                for arm in ("a0", "twin")}  # fmt: skip
        self.assertEqual(cost["a0"], cost["twin"])
        self.assertEqual(sum(r.newly_spent for r in store.results.values()), cost["a0"])

    def test_a_budget_is_kept_by_the_coordinator(self):
        _, whole = self.run_on(LocalExecutor)
        costs = sorted(r.newly_spent for r in whole.results.values())
        budget = sum(costs) // 4
        state, store = self.run_on(self.on_cluster, budget=budget, concurrency=8)
        self.assertEqual(state, "paused")
        spent = sum(r.newly_spent for r in store.results.values())
        self.assertGreaterEqual(spent, budget)
        # What may be under way: eight outputs, and the slice that passes the mark.
        self.assertLessEqual(spent, budget + 12 * costs[-1])

    def test_a_trial_file_runs_on_it(self):
        with tempfile.TemporaryDirectory() as folder:
            here = Path(folder)
            (here / "p.md").write_text(PROMPT)
            (here / "c.csv").write_text("x,reference\nrain on deck,wet\nsun on deck,dry\n")
            (here / "s.yaml").write_text(CARD)
            (here / "t.yaml").write_text(TRIAL.replace("BASE", self.base))
            done = subprocess.run(
                [sys.executable, "-m", "nomikon", "run", "t.yaml", "--json", "--cluster",
                 self.address],
                cwd=here, capture_output=True, text=True, timeout=120,
            )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        (arm,) = json.loads(done.stdout)["arms"]
        self.assertEqual((arm["n"], arm["failed"]), (2, 0))

    def test_a_cluster_that_is_not_there_is_told(self):
        async def go():
            async with ClusterExecutor("tcp://127.0.0.1:9") as executor:
                await run_trial(MemoryStore(self.trial()), executor)

        with (
            mock.patch("nomikon.engine.cluster.CONNECT_WITHIN_S", 1.0),
            self.assertRaisesRegex(ClusterError, "no cluster answers"),
        ):
            asyncio.run(go())
