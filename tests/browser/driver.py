"""Debian's Chromium, driven against real processes on the test's own database."""

from __future__ import annotations

import functools
import json
import multiprocessing.util
import os
import shutil
import tempfile
from pathlib import Path
from typing import Any

from django.db import connection
from django.test import TransactionTestCase
from playwright.sync_api import expect, sync_playwright

from nomikon.server.demo import Seeder
from tests.processes import Processes

# Playwright's synchronous interface runs an event loop in the test's own thread.
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")

ROOT = Path(__file__).resolve().parents[2]
AXE = ROOT / "web/node_modules/axe-core/axe.min.js"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-sync",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-dev-shm-usage",
]
# Machines that run these tests have two cores, shared by five processes.
PATIENCE_MS = 45_000
expect.set_options(timeout=PATIENCE_MS)


class _Shared:
    """What all browser tests of one test process share: the stand-in and the seeded database.

    Not the browser: while its driver runs no other test could run an event loop in this thread,
    and the database would be reached by another connection.
    """

    def __init__(self) -> None:
        self._processes = Processes({})
        self.standin = self._processes.standin("--pace", "0.2")
        self._folder = tempfile.mkdtemp(prefix="nomikon-tests-")
        self.empty, self.seeded = (Path(self._folder) / n for n in ("empty", "seeded"))
        _copy_database(self.empty)
        Seeder(base_url=self.standin, with_trials=False).plant()
        _copy_database(self.seeded)
        # A process of a pool ends without asking atexit: multiprocessing has a list of its own.
        multiprocessing.util.Finalize(self, self.end, exitpriority=10)

    def end(self) -> None:
        self._processes.stop()
        shutil.rmtree(self._folder, ignore_errors=True)


@functools.cache
def _shared() -> _Shared:
    return _Shared()


def _copy_database(place: Path) -> None:
    """The test database as one whole file."""
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    connection.close()
    shutil.copyfile(str(connection.settings_dict["NAME"]), place)


def _put_database(place: Path) -> None:
    """Another file in the test database's place; nobody may have it open."""
    connection.close()
    name = Path(str(connection.settings_dict["NAME"]))
    for end in ("-wal", "-shm"):
        name.with_name(name.name + end).unlink(missing_ok=True)
    shutil.copyfile(place, name)


class BrowserTest(TransactionTestCase):
    """The demo's briefs without its trials, served for real, and one page.

    One set of processes a class, on a copy of the seeded database: a class holds one test, or
    several that do not get in each other's way.
    """

    with_worker = True

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        shared = _shared()
        cls.standin = shared.standin
        _put_database(shared.seeded)
        cls.addClassCleanup(_put_database, shared.empty)
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.processes = Processes(
            {
                "NOMIKON_DATA_DIR": folder.name,
                "NOMIKON_DB": str(connection.settings_dict["NAME"]),
                "DJANGO_SETTINGS_MODULE": "nomikon.server.settings",
            }
        )
        cls.addClassCleanup(cls.processes.stop)
        if cls.with_worker:
            cls.processes.start("tests.run_worker")
        cls.address = cls.processes.web()
        chromium = shutil.which("chromium")
        if chromium is None:
            raise AssertionError("Chromium is not installed: as root, apt-get install chromium")
        connection.close()
        playwright = sync_playwright().start()
        cls.addClassCleanup(playwright.stop)
        cls.browser = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
        cls.addClassCleanup(cls.browser.close)

    def _fixture_teardown(self) -> None:
        """The class puts the empty database back; the processes still have this one open."""
        connection.close()

    def setUp(self) -> None:
        self.context = self.browser.new_context(viewport={"width": 1280, "height": 800})
        self.addCleanup(self.context.close)
        self.page = self.context.new_page()
        self.page.set_default_timeout(PATIENCE_MS)
        self.troubles: list[str] = []
        self.page.on("pageerror", lambda e: self.troubles.append(str(e)))
        self.page.on(
            "console",
            lambda m: (
                self.troubles.append(m.text)
                if m.type == "error" and "Content Security" in m.text
                else None
            ),
        )

    def open(self, path: str) -> None:
        self.page.goto(self.address + path)

    def violations(self, *, colours_only: bool = False) -> list[str]:
        """What axe-core finds on the page as it stands, WCAG A and AA; or of its colours alone."""
        # Added by the driver, not by the page: its own policy allows no foreign script.
        if not self.page.evaluate("() => 'axe' in window"):
            self.page.evaluate(AXE.read_text(encoding="utf-8"))
        found: list[dict[str, Any]] = json.loads(
            self.page.evaluate(
                """async (only) => JSON.stringify((await axe.run(document, only ?
               {runOnly: ['color-contrast']} : {runOnly: {type: 'tag',
               values: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'best-practice']},
               rules: {region: {enabled: false}}})).violations)""",
                colours_only,
            )
        )
        return [
            f"{v['id']}: {v['help']} {[n['html'][:160] for n in v['nodes'][:3]]}" for v in found
        ]
