"""Typing into a prompt of 20,000 characters: long tasks of the page, beside a bare text field."""

from __future__ import annotations

import os
import shutil
from typing import Any

from bench import setting_up

SIZE, KEYS = 20_000, 120
_WATCH = """() => { window.tasks = []; new PerformanceObserver(list => {
  for (const e of list.getEntries()) window.tasks.push(e.duration) }).observe({type: 'longtask'}) }"""


def measure() -> list[dict[str, Any]]:
    """Keys at a typist's pace; a long task is one of more than 50 ms, as browsers report it."""
    from django.utils import timezone
    from playwright.sync_api import sync_playwright

    from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
    from nomikon.server.apps.briefs.actions.save_version import SaveVersion

    os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
    setting_up.set_up()
    line = "- Rule {}: name the vessel {{{{ship}}}} and its time in at most {} words, with care.\n"
    text = "".join(line.format(i, i + 5) for i in range(SIZE // 60))[:SIZE].rsplit("\n", 1)[0]
    who = {"actor": "bench", "now": timezone.now()}
    brief = CreateBrief("Long", "", "other", **who).execute()
    SaveVersion(brief, [{"role": "system", "content": text}], {}, None, "", **who).execute()
    port = setting_up.free_port()
    web = ("-m", "uvicorn", "nomikon.server.process.asgi:application", "--port", str(port))
    quiet = ("--lifespan", "off", "--log-level", "error", "--timeout-graceful-shutdown", "1")
    with setting_up.process(*web, *quiet, port=port), sync_playwright() as driver:
        browser = driver.chromium.launch(
            executable_path=shutil.which("chromium"), args=["--no-sandbox", "--disable-gpu"]
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"http://127.0.0.1:{port}/briefs/{brief.pk}/draft")
        ours = _typed(page, ".cm-content")
        page.goto("about:blank")
        page.set_content("<textarea style='width:100%;height:90vh'></textarea>")
        page.fill("textarea", text)
        floor = _typed(page, "textarea")
        browser.close()
    return [
        {
            "what": f"long tasks while {KEYS} keys are typed into {SIZE:,} characters (longest)",
            "ours": f"{len(ours)} ({max(ours, default=0):.0f} ms)",
            "floor": f"{len(floor)} ({max(floor, default=0):.0f} ms)",
            "ratio": float(len(ours) - len(floor)),
            "goal": "none over 50 ms",
        }
    ]


def _typed(page: Any, selector: str) -> list[float]:
    page.locator(selector).first.click()
    page.wait_for_timeout(2500)
    page.evaluate(_WATCH)
    page.keyboard.press("Control+Home")
    page.keyboard.press("End")
    page.keyboard.type(" and say why it is so"[:20] * (KEYS // 20), delay=60)
    page.wait_for_timeout(1500)
    return [float(t) for t in page.evaluate("() => window.tasks")]
