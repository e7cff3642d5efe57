"""Marking 200 answers by keys alone: how soon the next one stands there, beside a bare page."""

from __future__ import annotations

import os
import shutil
from typing import Any

import numpy as np

from bench import setting_up

MARKS = 200
# In the page itself: from the key to the frame in which another place in the queue is told.
_WATCH = """() => { window.waits = []; window.addEventListener('keydown', e => {
  if (e.key !== 'g') return; const from = performance.now();
  const told = () => document.body.innerText.match(/answer ([\\d,]+) of/)?.[1];
  const before = told(); const look = () => told() !== before
    ? window.waits.push(performance.now() - from) : requestAnimationFrame(look);
  requestAnimationFrame(look) }, true) }"""
_BARE = """() => { let n = 1; document.body.innerText = 'answer 1 of x';
  window.addEventListener('keydown', e => { if (e.key === 'g') {
    n += 1; document.body.innerText = `answer ${n} of x` } }) }"""


def measure() -> list[dict[str, Any]]:
    """The floor is a page that changes one line of text at the same key."""
    from playwright.sync_api import sync_playwright

    os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
    setting_up.set_up()
    with setting_up.fixed_server() as url:
        brief = setting_up.make_trial(url, MARKS + 20).brief_id
        setting_up.run_worker()
    port = setting_up.free_port()
    web = ("-m", "uvicorn", "nomikon.server.process.asgi:application", "--port", str(port))
    quiet = ("--lifespan", "off", "--log-level", "error", "--timeout-graceful-shutdown", "1")
    with setting_up.process(*web, *quiet, port=port), sync_playwright() as driver:
        browser = driver.chromium.launch(
            executable_path=shutil.which("chromium"), args=["--no-sandbox", "--disable-gpu"]
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"http://127.0.0.1:{port}/briefs/{brief}/review")
        page.get_by_text("answer 1 of").wait_for()
        page.evaluate(_WATCH)
        ours = _marked(page)
        page.goto("about:blank")
        page.evaluate(_BARE)
        page.evaluate(_WATCH)
        floor = _marked(page)
        browser.close()
    return [
        {
            "what": f"from a mark to the next answer, {MARKS} by keys alone, 95th percentile (median)",
            "ours": f"{np.percentile(ours, 95):.0f} ms ({np.median(ours):.0f} ms), {len(ours)} marked",
            "floor": f"{np.percentile(floor, 95):.0f} ms",
            "ratio": float(np.percentile(ours, 95) / max(1.0, np.percentile(floor, 95))),
            "goal": "within 100 ms",
        }
    ]


def _marked(page: Any) -> list[float]:
    for _ in range(MARKS):
        page.keyboard.press("g")
        page.wait_for_timeout(60)
    page.wait_for_timeout(1000)
    return [float(t) for t in page.evaluate("() => window.waits")]
