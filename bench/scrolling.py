"""Frames while the grid of a large trial is scrolled, beside a bare page scrolled in the same run."""

from __future__ import annotations

import os
import shutil
from pathlib import Path
from typing import Any

from bench import setting_up
from bench.clicks import FLAGS, large_trial

# Arms and cases.
SHAPES = ((100, 1_000), (4, 100_000))
TURNS, STEP = 60, 240
# Gaps between frames, from the first turn of the wheel to the last, and what was seen of the grid.
FRAMES = """
async ([turns, step]) => {
  const gaps = []; let last = performance.now(), going = true
  const tick = (now) => { gaps.push(now - last); last = now; if (going) requestAnimationFrame(tick) }
  requestAnimationFrame(tick)
  const at = document.elementFromPoint(700, 600)
  let box = at
  while (box && box.scrollHeight <= box.clientHeight + 1) box = box.parentElement
  box ??= document.scrollingElement
  const begin = box.scrollTop
  for (let i = 0; i < turns; i++) {
    box.scrollTop += step
    await new Promise((r) => requestAnimationFrame(r))
  }
  going = false
  gaps.sort((a, b) => a - b)
  return { moved: box.scrollTop - begin, half: gaps[gaps.length >> 1],
           most: gaps[Math.floor(gaps.length * 0.95)] }
}
"""


def measure() -> list[dict[str, Any]]:
    """Each shape: the median gap and that of the slowest twentieth, in milliseconds."""
    setting_up.set_up()
    from playwright.sync_api import sync_playwright

    os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
    trials = [(arms, cases, large_trial(cases, arms)) for arms, cases in SHAPES]
    port = setting_up.free_port()
    web = ("-m", "uvicorn", "nomikon.server.process.asgi:application", "--port", str(port))
    quiet = ("--lifespan", "off", "--log-level", "error", "--timeout-graceful-shutdown", "1")
    rows = []
    with setting_up.process(*web, *quiet, port=port), sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.set_default_timeout(120_000)
        bare = page.evaluate(FRAMES, [TURNS, STEP]) if _bare(page) else {}
        for arms, cases, trial in trials:
            page.goto(f"http://127.0.0.1:{port}/briefs/{trial.brief_id}/trials/{trial.pk}")
            page.get_by_role("cell", name="Case 1, arm").first.wait_for()
            found = page.evaluate(FRAMES, [TURNS, STEP])
            assert found["moved"] > TURNS * STEP * 0.9, found
            # Rows that run past are bands of colour; standing, every cell is there again.
            last = page.get_by_role("button", name=f"Case {TURNS * STEP // 23 + 1}, arm").first
            last.wait_for(timeout=5_000)
            rows.append(
                {
                    "what": f"frames while scrolling {arms} arms × {cases:,} cases",
                    "ours": f"{found['half']:.0f} ms, 95 of 100 under {found['most']:.0f}",
                    "floor": f"{bare['half']:.0f} ms, 95 of 100 under {bare['most']:.0f}",
                    "ratio": found["half"] / bare["half"],
                    "goal": "95 of 100 under 50 ms",
                }
            )
        browser.close()
    return rows


def _bare(page: Any) -> bool:
    """A page of lines and nothing else."""
    file = Path(os.environ["NOMIKON_DATA_DIR"]) / "bare.html"
    file.write_text("<!doctype html>" + "<p>a line</p>" * 2_000, encoding="utf-8")
    page.goto(file.as_uri())
    return True
