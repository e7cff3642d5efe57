"""What only time shows (`make test-long`): forty kills, half an hour at work, the wheel installed elsewhere."""

import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.error
import urllib.request
from contextlib import closing
from http.cookiejar import CookieJar
from pathlib import Path

from django.test import tag
from playwright.sync_api import sync_playwright

from tests.processes import (
    ROOT,
    Processes,
    descendants,
    free_port,
    listening,
    name_of,
    wait_until,
)

SEED = """
import sys
from pathlib import Path
from nomikon.server.process.launch import set_up_django
set_up_django(Path(sys.argv[1]))
from nomikon.server.demo import Seeder
Seeder(base_url=sys.argv[2], with_trials=False).plant()
"""
KILLS = int(os.environ.get("KILLS", "40"))
MINUTES = float(os.environ.get("MINUTES", "30"))
# How much a process may grow after the first third, in bytes.
MOST_GROWN = 10_000_000


def resident(pid):
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmRSS"):
            return int(line.split()[1]) * 1024
    return 0


class Served:
    """`nomikon serve` on a seeded folder, asked over HTTP as the page does."""

    def __init__(self, test):
        folder = tempfile.TemporaryDirectory()
        test.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        standin = Processes({})
        test.addCleanup(standin.stop)
        env = {k: v for k, v in os.environ.items() if not k.startswith("NOMIKON_")}
        subprocess.run(
            [sys.executable, "-c", SEED, folder.name, standin.standin("--pace", "0.1")],
            env=env, check=True, capture_output=True,
        )  # fmt: skip
        self.port = free_port()
        self.process = subprocess.Popen(
            [sys.executable, "-m", "nomikon", "serve", "--port", str(self.port), "--data-dir", folder.name],
            env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        test.addCleanup(self.end)
        wait_until(lambda: listening(self.port), 90, "serve")
        self.cookies = CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.cookies))
        self.brief = self.ask("desk/")["briefs"][0]["id"]
        told = self.ask(f"briefs/{self.brief}/")
        self.dataset = told["datasets"][0]["version_id"]
        self.models = [m["id"] for c in self.ask("connections/") for m in c["models"]]

    def end(self):
        self.process.terminate()
        self.process.wait(20)

    def ask(self, path, body=None):
        """An answer of the server, asked again for as long as it is being started anew."""
        url = f"http://127.0.0.1:{self.port}/api/"

        def once():
            try:
                data, headers = None, {}
                if body is not None:
                    token = json.load(self.opener.open(f"{url}session/", timeout=20))["csrf"]
                    data = json.dumps(body).encode()
                    headers = {"X-CSRFToken": token, "Content-Type": "application/json"}
                request = urllib.request.Request(url + path, data, headers)
                return [json.load(self.opener.open(request, timeout=20))]
            except urllib.error.HTTPError as error:
                if error.code < 500:
                    raise
            except OSError:
                pass
            return None

        return wait_until(once, 60, path)[0]

    def start(self, number):
        """A trial of its own temperature, so that no answer of a former one serves it."""
        body = {
            "versions": [1, 2, 3], "models": self.models, "dataset_version": self.dataset,
            "settings": [{"temperature": round(0.01 * number, 2)}], "repeats": 2,
        }  # fmt: skip
        return self.ask(f"briefs/{self.brief}/trials/start/", body)["id"]

    def state(self, trial):
        return self.ask(f"trials/{trial}/")["state"]


@tag("long")
class KillsTest(unittest.TestCase):
    def test_forty_kills_of_any_process_lose_and_double_nothing(self):
        chance = random.Random(7)
        served = Served(self)
        trials, killed = [served.start(1)], {}
        while sum(killed.values()) < KILLS:
            time.sleep(chance.uniform(0.3, 2.5))
            if served.state(trials[-1]) not in ("running", "queued"):
                trials.append(served.start(len(trials) + 1))
                continue
            victims = {name_of(p): p for p in descendants(served.process.pid)}
            name = chance.choice([n for n in victims if n not in ("gone", "other")])
            os.kill(victims[name], signal.SIGKILL)
            killed[name] = killed.get(name, 0) + 1
        self.assertGreaterEqual(len(killed), 3, killed)
        for trial in trials:
            wait_until(lambda t=trial: served.state(t) == "complete", 300, f"trial {trial}")
        served.end()
        with closing(sqlite3.connect(served.folder / "nomikon.sqlite3")) as stored:
            one = lambda sql: stored.execute(sql).fetchone()[0]  # noqa: E731
            self.assertEqual(one("PRAGMA integrity_check"), "ok")
            wanted = one("SELECT sum(n_outputs) FROM trials_trial")
            cells = "SELECT DISTINCT arm_id, revision_id, repeat FROM trials_output WHERE superseded_by IS NULL"
            self.assertEqual(one(f"SELECT count(*) FROM ({cells})"), wanted)
            self.assertEqual(one("SELECT count(*) FROM trials_output"), wanted)
            self.assertEqual(one("SELECT count(*) FROM trials_output WHERE failure != ''"), 0)
            paid = "FROM trials_call WHERE reused_from_id IS NULL AND attempts > 0"
            self.assertEqual(
                one(f"SELECT count(*) {paid}"), one(f"SELECT count(DISTINCT answer_key) {paid}")
            )
            spent = one("SELECT sum(spent_nano) FROM trials_trial")
            told = one(f"SELECT sum(cost) + coalesce(sum(wasted_cost), 0) {paid}")
            self.assertEqual(spent, told)


@tag("long")
class SoakTest(unittest.TestCase):
    def test_half_an_hour_at_work_and_no_process_grows(self):
        served = Served(self)
        began, number = time.monotonic(), 0
        third, sizes = None, {}
        trial = None
        while time.monotonic() - began < MINUTES * 60:
            if trial is None or served.state(trial) not in ("running", "queued"):
                number += 1
                trial = served.start(number)
            for path in ("desk/", f"briefs/{served.brief}/", f"trials/{trial}/cells/", "ledger/"):
                served.ask(path)
            sizes = {name_of(p): resident(p) for p in descendants(served.process.pid)}
            if third is None and time.monotonic() - began > MINUTES * 20:
                third = sizes
            time.sleep(0.5)
        grown = {n: sizes[n] - third[n] for n in third if n in sizes}
        told = {n: f"{third[n] / 1e6:.0f} MB and {g / 1e6:+.1f}" for n, g in grown.items()}
        print(f"{number} trials in {MINUTES:g} minutes: {told}")
        self.assertLess(max(grown.values()), MOST_GROWN, told)


@tag("long")
class WheelTest(unittest.TestCase):
    def test_installed_elsewhere_it_is_the_product(self):
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            run = lambda *words, **more: subprocess.run(  # noqa: E731
                [str(w) for w in words], check=True, capture_output=True, text=True, **more
            )
            run("make", "wheel", cwd=ROOT)
            (wheel,) = (ROOT / "dist").glob("*.whl")
            run(sys.executable, "-m", "venv", place / "env")
            pip = [place / "env/bin/python", "-m", "pip", "install", "-q"]
            run(*pip, "--require-hashes", "-r", ROOT / "requirements.lock")
            run(*pip, "--no-deps", wheel)
            # No Node, no sources: only what the wheel brought.
            env = {"PATH": "/usr/bin:/bin", "HOME": folder}
            nomikon = place / "env/bin/nomikon"
            self.assertIn("0.2", run(nomikon, "--version", env=env, cwd=place).stdout)
            run(nomikon, "demo", "--no-serve", "--data-dir", place / "data", env=env, cwd=place)
            port = free_port()
            server = subprocess.Popen(
                [nomikon, "serve", "--port", str(port), "--data-dir", place / "data"],
                env=env, cwd=place, stdout=subprocess.DEVNULL,
            )  # fmt: skip
            try:
                wait_until(lambda: listening(port), 90, "serve")
                with sync_playwright() as driver:
                    browser = driver.chromium.launch(
                        executable_path=shutil.which("chromium"), args=["--no-sandbox"]
                    )
                    page = browser.new_page()
                    page.goto(f"http://127.0.0.1:{port}/")
                    page.get_by_text("Message triage").first.wait_for()
                    browser.close()
            finally:
                server.terminate()
                server.wait(20)
