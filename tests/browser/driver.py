"""Debian's Chromium, driven against real processes on the test's own database."""

from __future__ import annotations

import json
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
PATIENCE_MS = 20_000
expect.set_options(timeout=PATIENCE_MS)


class BrowserTest(TransactionTestCase):
    """The demo's briefs without its trials, served for real, and one page."""

    with_worker = True

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.processes = Processes(
            {
                "NOMIKON_DATA_DIR": folder.name,
                "NOMIKON_DB": str(connection.settings_dict["NAME"]),
                "DJANGO_SETTINGS_MODULE": "nomikon.server.settings",
            }
        )
        self.addCleanup(self.processes.stop)
        self.standin = self.processes.standin("--pace", "0.2")
        Seeder(base_url=self.standin, with_trials=False).plant()
        if self.with_worker:
            self.processes.start("tests.run_worker")
        self.address = self.processes.web()
        chromium = shutil.which("chromium")
        if chromium is None:
            self.fail("Chromium is not installed: as root, apt-get install chromium")
        playwright = sync_playwright().start()
        self.addCleanup(playwright.stop)
        browser = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
        self.addCleanup(browser.close)
        self.context = browser.new_context(viewport={"width": 1280, "height": 800})
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

    def violations(self) -> list[str]:
        """What axe-core finds on the page as it stands, WCAG A and AA."""
        # Added by the driver, not by the page: its own policy allows no foreign script.
        self.page.evaluate(AXE.read_text(encoding="utf-8"))
        found: list[dict[str, Any]] = json.loads(
            self.page.evaluate(
                """async () => JSON.stringify((await axe.run(document, {runOnly: {type: 'tag',
               values: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'best-practice']},
               rules: {region: {enabled: false}}})).violations)"""
            )
        )
        return [
            f"{v['id']}: {v['help']} {[n['html'][:160] for n in v['nodes'][:3]]}" for v in found
        ]
