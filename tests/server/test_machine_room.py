"""The worker in trouble: a locked database, a full disk, sleep and wake, a storm of faults."""

import http.client
import json
import os
import resource
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path
from urllib.request import urlopen

from django.db import transaction
from django.test import tag

from nomikon.models.errors import FAILURES
from nomikon.server.apps.connections.models import Connection, Health, Model, Standing
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.trials.models import COMPLETE, Call, Output, Trial
from nomikon.server.link import ask_worker
from tests.processes import wait_until
from tests.server.base import Api, make_brief, start
from tests.server.test_processes import ProcessTest


class MachineRoomTest(ProcessTest):
    def setUp(self):
        super().setUp()
        self.processes.env["NOMIKON_DB_PATIENCE_S"] = "0.5"
        settings_dir = self.settings(DATA_DIR=Path(self.folder.name))
        settings_dir.enable()
        self.addCleanup(settings_dir.disable)

    def prepare(self, n_cases, *options, **connection_fields):
        """A brief whose two models are the stand-in's; returns its trial, not yet run."""
        brief = make_brief(n_cases)
        self.base = self.processes.standin(*options)
        Connection.objects.update(base_url=self.base, **{"concurrency": 8, **connection_fields})
        names = ("standin-flint", "standin-pebble")
        for model, name in zip(Model.objects.order_by("id"), names, strict=True):
            model.name = name
            model.save()
        return start(brief)

    def stored(self):
        return Output.objects.count()

    def finish(self, trial, within_s=60):
        wait_until(lambda: Trial.objects.get(pk=trial.pk).state == COMPLETE, within_s, "the end")
        self.assertEqual(self.stored(), trial.n_outputs)
        cells = set(Output.objects.values_list("arm_id", "revision_id", "repeat"))
        self.assertEqual(len(cells), trial.n_outputs)

    def log(self, query=""):
        with urlopen(self.base.replace("/v1", f"/log{query}"), timeout=5) as reply:
            return json.load(reply)

    def test_a_database_locked_by_another_is_waited_for(self):
        trial = self.prepare(150)
        worker = self.worker()
        wait_until(lambda: self.stored() > 8, what="a first batch")
        with transaction.atomic():
            # The test holds the one write lock for longer than the worker waits.
            Trial.objects.filter(pk=trial.pk).update(question="held")
            before = self.stored()
            trouble = wait_until(
                lambda: ask_worker("/status", within_s=5)["troubles"], what="the trouble to be told"
            )
            self.assertIn("locked", json.dumps(trouble))
            self.assertEqual(self.stored(), before)
        self.finish(trial)
        self.assertIsNone(worker.poll())
        self.assertEqual(self.log()["calls"], trial.n_outputs)

    def test_a_disk_that_takes_nothing_more_loses_nothing(self):
        trial = self.prepare(150)
        worker = self.worker()
        wait_until(lambda: self.stored() > 8, what="a first batch")
        _, hard = resource.prlimit(worker.pid, resource.RLIMIT_FSIZE)
        # No file of this process may grow: as on a full disk, writes are refused.
        resource.prlimit(worker.pid, resource.RLIMIT_FSIZE, (1024, hard))
        page = Api()
        told = wait_until(
            lambda: page.get(f"trials/{trial.pk}/").json()["trouble"], what="the page to be told"
        )
        self.assertRegex(told, "disk")
        resource.prlimit(worker.pid, resource.RLIMIT_FSIZE, (hard, hard))
        self.finish(trial)
        self.assertIsNone(worker.poll())
        self.assertEqual(self.log()["calls"], trial.n_outputs)
        self.assertEqual(page.get(f"trials/{trial.pk}/").json()["trouble"], "")

    @tag("long")
    def test_a_machine_that_sleeps_and_wakes_goes_on(self):
        trial = self.prepare(150, "--pace", "2")
        worker = self.worker()
        wait_until(lambda: self.stored() > 8, what="a first batch")
        os.kill(worker.pid, signal.SIGSTOP)
        # While it sleeps every connection it had is gone, and the server is a new one.
        standin = self.processes.running("standin")
        port = self.base.rsplit(":", 1)[1].removesuffix("/v1")
        self.processes.kill(standin)
        self.processes.start("nomikon", "standin", "--port", port, "--pace", "0.2")
        time.sleep(1.5)
        os.kill(worker.pid, signal.SIGCONT)
        self.finish(trial)
        self.assertEqual(Output.objects.exclude(failure="").count(), 0)

    def test_a_server_that_goes_and_comes_back_is_waited_for(self):
        trial = self.prepare(90, "--pace", "2")
        self.worker()
        wait_until(lambda: self.stored() > 8, what="a first batch")
        port = self.base.rsplit(":", 1)[1].removesuffix("/v1")
        self.processes.kill(self.processes.running("standin"))
        # What broke off as it went may narrow the lane before the circuit opens.
        resting = Standing.objects.filter(state__in=("resting", "probing"))
        standing = wait_until(resting.first, what="the circuit to open")
        self.assertIn(FAILURES["nothing_listens"], standing.reason)
        shown = Api().get("connections/").json()[0]["standing"]
        self.assertIn(shown["state"], ("resting", "probing"))
        self.processes.start("nomikon", "standin", "--port", port, "--pace", "0.2")
        self.finish(trial)
        wait_until(lambda: not resting.exists(), what="the circuit to close")

    def test_in_a_storm_every_call_ends_and_every_fault_is_counted(self):
        faults = Path(self.folder.name) / "faults.json"
        kinds = (
            "http-429",
            "http-500",
            "drop-connection",
            "drop-stream",
            "malformed",
            "wrong-type",
        )
        rows = [{"kind": k, "share": 0.05, "retry_after_s": 0.05} for k in kinds]
        faults.write_text(json.dumps({"seed": 3, "faults": rows}))
        trial = self.prepare(60, "--pace", "0", "--faults", str(faults))
        self.worker()
        self.finish(trial, 120)
        log = self.log()
        # The worker's own record is written every two seconds.
        wait_until(
            lambda: (
                sum(h.answered + sum(h.failures.values()) for h in Health.objects.all())
                == log["calls"]
            ),
            what="every attempt to be counted",
        )
        ours: dict[str, int] = {}
        for row in Health.objects.all():
            for code, count in row.failures.items():
                ours[code] = ours.get(code, 0) + count
        theirs: dict[str, int] = {}
        for key, count in log["counts"].items():
            kind = key.split(" ", 1)[1]
            theirs[kind] = theirs.get(kind, 0) + count
        self.assertEqual(ours.get("throttled", 0), theirs.get("http-429", 0))
        self.assertEqual(ours.get("server_error", 0), theirs.get("http-500", 0))
        self.assertEqual(ours.get("unreachable", 0), theirs.get("drop-connection", 0))
        self.assertEqual(ours.get("malformed", 0), theirs.get("malformed", 0))
        self.assertEqual(ours.get("web_page", 0), theirs.get("wrong-type", 0))
        self.assertGreater(sum(ours.values()), 20)
        board = Api().get(f"trials/{trial.pk}/").json()
        failed = {}
        for arm in board["arms"]:
            for code, count in arm["failures"].items():
                failed[code] = failed.get(code, 0) + count
        stored = {
            code: Output.objects.filter(failure=code).count()
            for code in set(Output.objects.exclude(failure="").values_list("failure", flat=True))
        }
        self.assertEqual(failed, stored)
        attempts = sum(Call.objects.values_list("attempts", flat=True))
        self.assertEqual(attempts, log["calls"])

    def test_a_servers_limit_is_never_broken(self):
        faults = Path(self.folder.name) / "limits.json"
        limit = {"requests_per_minute": 1200, "concurrency": 4}
        faults.write_text(json.dumps({"limits": {"standin-flint": limit}}))
        trial = self.prepare(45, "--pace", "0.1", "--faults", str(faults))
        Model.objects.filter(name="standin-flint").update(**limit)
        self.worker()
        self.finish(trial)
        log = self.log("?window_s=1")
        self.assertEqual(log["refused"], {"standin-flint": 0})
        self.assertLessEqual(log["most_at_once"]["standin-flint"], 4)
        # Twenty a second, the half second that a late timer may catch up, and what
        # a busy machine delivers late: without the limit it were three times as many.
        self.assertLessEqual(log["most_in_window"]["standin-flint"], 40)


class LinkTest(ProcessTest):
    """What a person asks of a connection goes through the worker."""

    def setUp(self):
        super().setUp()
        settings_dir = self.settings(DATA_DIR=Path(self.folder.name))
        settings_dir.enable()
        self.addCleanup(settings_dir.disable)
        make_brief()
        self.base = self.processes.standin("--pace", "0")
        Connection.objects.update(base_url=self.base)
        self.model = Model.objects.first()
        Model.objects.filter(pk=self.model.pk).update(name="standin-cobble")
        self.api = Api()

    def ready(self):
        self.worker()
        link = Path(self.folder.name) / "worker-link.json"
        wait_until(link.exists, what="the worker to listen")
        self.assertEqual(link.stat().st_mode & 0o077, 0)

    def test_without_a_worker_it_is_said(self):
        got = self.api.post(f"models/{self.model.pk}/test/", {"text": "hello"})
        self.assertEqual((got.status_code, got.json()["title"]), (409, "worker_away"))

    def test_a_test_call_on_both_protocols_and_the_list_of_models(self):
        self.ready()
        for protocol, base in (
            ("chat-completions", self.base),
            ("open-inference", self.base.removesuffix("/v1")),
        ):
            with self.subTest(protocol=protocol):
                Connection.objects.update(protocol=protocol, base_url=base)
                path = f"models/{self.model.pk}/test/"
                came = self.api.post(path, {"text": "Answer with the one word: ready."}).json()
                self.assertIsNone(came["failure"])
                self.assertIn("ready", came["answer"]["text"].lower())
                self.assertGreater(came["answer"]["cost"], 0)
                listed = self.api.get(f"connections/{self.model.connection_id}/offered/").json()
                added = {m["name"]: m["added"] for m in listed["models"]}
                self.assertEqual((added["standin-cobble"], added["standin-flint"]), (True, False))

    def test_an_address_is_completed_and_what_it_offers_added_at_once(self):
        self.ready()
        # As people copy it, without its last step.
        made = self.api.post(
            "connections/add/", {"name": "New", "base_url": self.base.removesuffix("/v1")}
        ).json()
        url = f"connections/{made['id']}"
        checked = self.api.post(f"{url}/check/", {}).json()
        self.assertEqual((checked["base_url"], checked["models"]), (self.base, 4))
        self.assertEqual(Connection.objects.get(pk=made["id"]).base_url, self.base)
        some = ["standin-flint", "standin-pebble"]
        added = self.api.post(f"{url}/models/many/", {"names": some}).json()["models"]
        self.assertEqual([m["name"] for m in added], some)
        self.assertEqual([m["simulated"] for m in added], [True, True])
        self.assertEqual(added[1]["context_length"], 2048)
        got = self.api.post(f"{url}/models/many/", {"names": ["standin-cobble", "nobody"]})
        self.assertEqual((got.status_code, got.json()["field"]), (422, "names"))
        self.assertEqual(Model.objects.filter(connection_id=made["id"]).count(), 2)
        # One that is added by name is marked by the server's own word, too.
        named = self.api.post(f"{url}/models/", {"name": "standin-boulder"}).json()
        self.assertTrue(named["simulated"])
        # An address that leads to something else says so, in words.
        away = self.api.post(
            "connections/add/", {"name": "Away", "base_url": "http://127.0.0.1:9/v1"}
        ).json()
        checked = self.api.post(f"connections/{away['id']}/check/", {}).json()
        self.assertIn("nothing listens", checked["failure"])
        self.assertEqual(self.api.post(f"connections/{away['id']}/try-now/", {}).status_code, 200)

    def test_headers_and_fields_go_out_and_its_word_for_the_limit(self):
        self.ready()
        Connection.objects.update(
            headers={"X-Team": "harbour"},
            body_fields={"top_k": 3},
            output_limit="max_completion_tokens",
        )
        came = self.api.post(f"models/{self.model.pk}/test/", {"text": "Name one word."}).json()
        self.assertIsNone(came["failure"])
        self.assertEqual(came["request"]["top_k"], 3)
        self.assertEqual(came["request"]["max_completion_tokens"], 200)
        self.assertNotIn("max_tokens", came["request"])

    def test_what_came_back_is_told_and_nothing_else_is_touched(self):
        self.ready()
        path = f"models/{self.model.pk}/test/"
        for fields, code, words in [
            ({"base_url": "http://127.0.0.1:9/v1"}, "nothing_listens", "127.0.0.1"),
            ({"base_url": self.base.replace("/v1", "/nowhere")}, "unknown_model", "404"),
            ({"base_url": self.base, "key_env": "SURELY_NOT_SET"}, "no_key", "SURELY_NOT_SET"),
        ]:
            Connection.objects.update(**{"key_env": "", **fields})
            with self.subTest(code=code):
                came = self.api.post(path, {"text": "hello"}).json()
                self.assertEqual(came["failure"]["code"], code)
                self.assertIn(words, came["failure"]["text"])
        Connection.objects.update(key_env="", base_url=self.base)
        Model.objects.filter(pk=self.model.pk).update(name="nobody")
        came = self.api.post(path, {"text": "hello"}).json()
        self.assertEqual(came["failure"]["code"], "unknown_model")
        self.assertIn("nobody", came["failure"]["text"])

    def test_only_who_knows_the_token_is_answered(self):
        self.ready()
        known = json.loads((Path(self.folder.name) / "worker-link.json").read_text())
        there = http.client.HTTPConnection("127.0.0.1", known["port"], timeout=5)
        there.request("GET", "/status", headers={"Authorization": "Bearer guess"})
        self.assertEqual(there.getresponse().status, 403)
        there.close()
        odd = http.client.HTTPConnection("127.0.0.1", known["port"], timeout=5)
        odd.request("GET", "/status", headers={"Authorization": "Bearer gu\xebss"})
        self.assertEqual(odd.getresponse().status, 403)
        odd.close()

    def test_a_draft_is_tried_piece_by_piece_and_its_cost_kept(self):
        self.ready()
        brief = make_brief(3, "Tried")
        job = {
            "key": "a",
            "model": self.model.pk,
            "messages": [{"role": "user", "content": "Tell me about the {{sea}}, in a sentence."}],
            "settings": {"temperature": 0},
            "inputs": {"sea": "North Sea"},
        }
        two = {"jobs": [job, {**job, "key": "b", "inputs": {"sea": "Baltic"}}]}
        web = self.processes.web()
        lines = self.stream(web, f"/api/briefs/{brief.pk}/try/", two)
        ends = {x["key"]: x["result"] for x in lines if "result" in x}
        for key, sea in [("a", "North Sea"), ("b", "Baltic")]:
            pieces = [x["text"] for x in lines if x["key"] == key and "text" in x]
            self.assertGreaterEqual(len(pieces), 1)
            self.assertEqual("".join(pieces), ends[key]["text"])
            self.assertIn(sea, ends[key]["text"])
            self.assertEqual(ends[key]["outcome"], "answered")
            self.assertGreater(ends[key]["cost"], 0)
        line = Line.objects.get(what="draft.tried")
        self.assertEqual(line.cost_nano, ends["a"]["cost"] + ends["b"]["cost"])
        self.assertEqual((line.brief, line.facts["answers"]), (brief, 2))
        # Many long texts at once: more than a server takes by default.
        long = {**job, "messages": [{"role": "user", "content": "{{sea}} " + "word " * 90_000}]}
        many = self.stream(
            web,
            f"/api/briefs/{brief.pk}/try/",
            {"jobs": [{**long, "key": str(k)} for k in range(4)]},
        )
        self.assertEqual({x["key"] for x in many if "result" in x}, {"0", "1", "2", "3"})
        body = {"jobs": [{**job, "inputs": {}}]}
        holes = self.stream(web, f"/api/briefs/{brief.pk}/try/", body)
        self.assertEqual(holes[-1]["result"]["outcome"], "failed")
        self.assertIn("no value for sea", holes[-1]["result"]["why"])
        for change, status in [({"model": 987654}, 404), ({"messages": "x"}, 422), (None, 403)]:
            with self.subTest(change=change):
                changed = {"jobs": [{**job, **(change or {})}]}
                got = self.stream(
                    web, f"/api/briefs/{brief.pk}/try/", changed,
                    token=change is not None, status=status,
                )  # fmt: skip
                self.assertTrue(got[0]["detail"])

    def test_the_request_as_code_runs_and_brings_the_answer(self):
        steps = [
            {"role": "user", "content": "Name the vessel in this log: {{log}}", "step": "vessel"},
            {"role": "user", "content": "Write one sentence on {{steps.vessel}}", "step": "text"},
        ]
        one = [{"role": "user", "content": "Write one sentence on {{log}}"}]
        for messages in (one, steps):
            body = {
                "model": self.model.pk,
                "messages": messages,
                "inputs": {"log": "Harrier's late"},
            }
            code = self.api.post("request-code/", body).json()
            done = subprocess.run(
                [sys.executable, "-I", "-c", code["python"]],
                capture_output=True, text=True, timeout=60,
            )  # fmt: skip
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn("Harrier", done.stdout)
            self.assertEqual(code["calls"], len(messages))
        if shutil.which("curl") is None:
            self.skipTest("no curl on this machine to run it with")
        curl = self.api.post("request-code/", {**body, "messages": one}).json()["curl"]
        told = subprocess.run(["bash", "-c", curl], capture_output=True, text=True, timeout=60)
        self.assertIn("data: [DONE]", told.stdout, told.stderr)

    def stream(self, web, path, body, *, token=True, status=200):
        """The lines of an answer of the real web process."""
        there = http.client.HTTPConnection("127.0.0.1", int(web.rsplit(":", 1)[1]), timeout=30)
        there.request("GET", "/api/session/")
        reply = there.getresponse()
        cookie = reply.headers["Set-Cookie"].split(";")[0]
        headers = {"Cookie": cookie, "Content-Type": "application/json"}
        csrf = json.loads(reply.read())["csrf"]
        if token:
            headers["X-CSRFToken"] = csrf
        there.request("POST", path, json.dumps(body), headers)
        reply = there.getresponse()
        self.assertEqual(reply.status, status)
        lines = [json.loads(x) for x in reply.read().decode().splitlines()]
        there.close()
        return lines
