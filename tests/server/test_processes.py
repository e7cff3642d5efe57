"""Real processes: a worker that is killed loses nothing; live events resume where they were."""

import http.client
import json
import tempfile
import time
from urllib.parse import urlsplit

from django.conf import settings
from django.db import connection
from django.test import TransactionTestCase
from django.utils import timezone

from nomikon.server.apps.connections.models import Connection
from nomikon.server.apps.ledger.models import Event
from nomikon.server.apps.ledger.write import EVENTS_KEPT, emit, prune_events
from nomikon.server.apps.trials.models import Call, Output, Trial
from tests.processes import Processes, wait_until
from tests.server.base import make_brief, start


class ProcessTest(TransactionTestCase):
    def setUp(self):
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.processes = Processes(
            {
                "NOMIKON_DATA_DIR": self.folder.name,
                "NOMIKON_DB": str(connection.settings_dict["NAME"]),
                "DJANGO_SETTINGS_MODULE": "nomikon.server.settings",
            }
        )
        self.addCleanup(self.processes.stop)

    def worker(self):
        return self.processes.start("tests.run_worker")


class RecoveryTest(ProcessTest):
    def test_a_killed_worker_loses_nothing_and_doubles_nothing(self):
        brief = make_brief(120)
        Connection.objects.update(base_url=self.processes.standin(), concurrency=16)
        from nomikon.server.apps.connections.models import Model

        for model, name in zip(
            Model.objects.order_by("id"), ("standin-flint", "standin-pebble"), strict=True
        ):
            model.name = name
            model.save()
        trial = start(brief, repeats=2)
        self.assertEqual(trial.n_outputs, 640)

        def stored():
            return Output.objects.filter(arm__trial=trial).count()

        for target in (20, 120):
            worker = self.worker()
            wait_until(lambda t=target: stored() >= t, what=f"{target} outputs")
            self.processes.kill(worker)
            self.assertLess(stored(), trial.n_outputs)
            self.assertEqual(Trial.objects.get(pk=trial.pk).state, "running")
        self.worker()
        wait_until(lambda: Trial.objects.get(pk=trial.pk).state == "complete", 60, "the end")
        self.assertEqual(stored(), trial.n_outputs)
        cells = set(Output.objects.values_list("arm_id", "revision_id", "repeat"))
        self.assertEqual(len(cells), trial.n_outputs)
        self.assertEqual(Call.objects.count(), trial.n_outputs)
        self.assertEqual(Output.objects.exclude(failure="").count(), 0)

    def test_two_workers_on_one_database_are_refused(self):
        first = self.worker()
        from nomikon.server.apps.trials.models import Worker

        wait_until(lambda: Worker.objects.exists(), what="the first worker's sign of life")
        second = self.worker()
        self.assertNotEqual(second.wait(20), 0)
        self.assertIsNone(first.poll())


class Stream:
    """Reads server-sent events."""

    def __init__(self, address, after=None):
        parts = urlsplit(address)
        self.connection = http.client.HTTPConnection(parts.hostname, parts.port, timeout=20)
        headers = {"Last-Event-ID": str(after)} if after is not None else {}
        self.connection.request("GET", "/api/events/", headers=headers)
        self.response = self.connection.getresponse()

    def next(self):
        """The next event: (id, name, data)."""
        number, name, data = None, "message", None
        while True:
            line = self.response.readline().decode().rstrip("\n")
            if line.startswith("id: "):
                number = int(line[4:])
            elif line.startswith("event: "):
                name = line[7:]
            elif line.startswith("data: "):
                data = json.loads(line[6:])
            elif not line and data is not None:
                return number, name, data

    def close(self):
        self.connection.close()


class EventsTest(ProcessTest):
    def test_a_lost_connection_resumes_by_id_and_a_pruned_one_gets_a_snapshot(self):
        address = self.processes.web()
        live = Stream(address)
        self.addCleanup(live.close)
        time.sleep(0.6)
        for n in range(3):
            emit("trial:1", "outputs", {"n": n}, now=timezone.now())
        got = [live.next() for _ in range(3)]
        self.assertEqual([d["n"] for _, _, d in got], [0, 1, 2])

        emit("trial:1", "outputs", {"n": 3}, now=timezone.now())
        late = Stream(address, after=got[0][0])
        self.addCleanup(late.close)
        self.assertEqual([late.next()[2]["n"] for _ in range(3)], [1, 2, 3])

        Event.objects.filter(id__lte=got[1][0]).delete()
        behind = Stream(address, after=got[0][0] - 1 if got[0][0] > 1 else 0)
        self.addCleanup(behind.close)
        self.assertEqual(behind.next()[1], "snapshot")

    def test_the_page_is_served_with_its_safety(self):
        address = self.processes.web()
        parts = urlsplit(address)

        def get(path, host=None):
            http_ = http.client.HTTPConnection(parts.hostname, parts.port, timeout=10)
            http_.request("GET", path, headers={"Host": host} if host else {})
            response = http_.getresponse()
            body = response.read()
            http_.close()
            return response.status, dict(response.getheaders()), body

        for path in ("/", "/briefs/1/draft", "/api/session/"):
            status, headers, _ = get(path)
            self.assertEqual(status, 200, path)
            policy = headers["content-security-policy"]
            self.assertIn("script-src 'self';", policy)
            self.assertNotIn("unsafe-inline", policy.split("style-src")[0])
        self.assertEqual(get("/", host="evil.example")[0], 400)
        self.assertEqual(get("/api/desk/", host="evil.example")[0], 400)
        status, headers, _ = get("/api/nothing/")
        self.assertEqual((status, headers["content-type"]), (404, "application/problem+json"))
        self.assertEqual(get("/assets/nothing.js")[0], 404)
        self.assertNotIn(b"<script>", get("/")[2])


class PruneTest(TransactionTestCase):
    def test_the_event_table_stays_small(self):
        Event.objects.bulk_create(
            [Event(topic="t", kind="k", at=timezone.now()) for _ in range(EVENTS_KEPT + 500)],
            batch_size=5000,
        )
        self.assertEqual(prune_events(), 500)
        self.assertEqual(Event.objects.count(), EVENTS_KEPT)


class LocalOnlyTest(TransactionTestCase):
    def test_only_this_machine_unless_told_otherwise(self):
        self.assertEqual(settings.ALLOWED_HOSTS[:3], ["127.0.0.1", "localhost", "[::1]"])
        from nomikon.cli.serving import serve

        default = next(p.default for p in serve.params if p.name == "host")
        self.assertEqual(default, "127.0.0.1")
