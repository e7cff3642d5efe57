"""From a click to its content, in a real browser, and what the pages ask of the server.

A brief with a trial of 20,000 answers (10 arms × 2,000 cases) among 50 briefs; each click is made
twelve times, the first two are not counted, and the median is told beside that of a bare page of
static HTML clicked in the same run.
"""

from __future__ import annotations

import functools
import http.server
import os
import random
import shutil
import statistics
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from bench import setting_up
from bench.rescoring import stored_outputs
from bench.scoring import sentence

BRIEFS, CASES, VERSIONS = 50, 2_000, 10
TIMES, WARM_UP = 10, 2
BARE = "<!doctype html><title>bare</title><a href='/two.html'>two</a><h1>{}</h1>"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"]


def measure() -> list[dict[str, Any]]:
    """Clicks in Chromium, then requests by themselves."""
    setting_up.set_up()
    trial = large_trial(CASES, VERSIONS)
    _more_briefs()
    rows = _clicked(trial)
    return [*rows, *_asked(trial)]


def large_trial(cases: int, versions: int) -> Any:
    """A complete trial whose arms are versions from worse to better, stored without asking anybody."""
    from decimal import Decimal

    from django.utils import timezone

    from nomikon.server.apps.briefs.actions.save_version import SaveVersion
    from nomikon.server.apps.trials.actions.start_trial import StartTrial
    from nomikon.server.apps.trials.models import Trial
    from nomikon.server.apps.trials.planning import make_plan
    from nomikon.server.apps.trials.rescoring import rescore

    who = {"actor": "bench", "now": timezone.now()}
    first = setting_up.make_trial("http://127.0.0.1:9/v1", cases)
    Trial.objects.filter(pk=first.pk).update(state="cancelled")
    brief, arm = first.brief, first.arms.get()
    arm.model.price_in_nano = arm.model.price_out_nano = int(Decimal(10) ** 9)
    arm.model.save()
    parent = arm.version
    for n in range(versions - 1):
        text = [{"role": "user", "content": f"Is {{{{sea}}}} wet? Say it in {n + 1} words."}]
        parent = SaveVersion(brief, text, {}, parent, f"change {n}", **who).execute()
    plan = make_plan(
        brief,
        versions=[v.number for v in brief.versions.all()],
        models=[arm.model_id],
        settings=[],
        dataset_version=first.dataset_version_id,
        split="working",
        repeats=1,
    )
    trial = StartTrial(plan, "Which says it best?", **who).execute()
    dice = random.Random(1)
    # Worse to better, so that there is something to compare.
    for place, own in enumerate(trial.arms.order_by("position")):
        stored_outputs(
            own,
            lambda chance=0.2 + 0.6 * place / versions: (
                "wet " * (dice.random() < chance) + sentence(dice, 8)
            ),
        )
    Trial.objects.filter(pk=trial.pk).update(state="complete", finished_at=timezone.now())
    trial.refresh_from_db()
    rescore(trial, trial.scorecard)
    return trial


def _more_briefs() -> None:
    from django.utils import timezone

    from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
    from nomikon.server.apps.briefs.actions.save_version import SaveVersion

    who = {"actor": "bench", "now": timezone.now()}
    for n in range(BRIEFS - 1):
        brief = CreateBrief(f"Other {n}", "Something else.", "other", **who).execute()
        SaveVersion(
            brief, [{"role": "user", "content": "Say {{it}}."}], {}, None, "", **who
        ).execute()


def _clicked(trial: Any) -> list[dict[str, Any]]:
    from playwright.sync_api import sync_playwright

    os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
    port = setting_up.free_port()
    web = ("-m", "uvicorn", "nomikon.server.process.asgi:application", "--port", str(port))
    quiet = ("--lifespan", "off", "--log-level", "error", "--timeout-graceful-shutdown", "1")
    base = f"/briefs/{trial.brief_id}"
    name = trial.brief.name
    # From where, what is clicked, and what must then be seen.
    steps: list[tuple[str, str, Callable[[Any], Any], Callable[[Any], Any]]] = [
        ("desk", f"{base}/brief", lambda p: p.get_by_role("link", name="Nomikon."),
         lambda p: p.get_by_role("heading", name="Desk")),
        ("brief", "/", lambda p: p.get_by_role("link", name=name).first,
         lambda p: p.get_by_role("heading", name=f"Version {VERSIONS}")),
        ("board", f"{base}/brief", lambda p: p.get_by_role("link", name="Trials"),
         lambda p: p.get_by_role("cell", name="Case 1, arm").first),
        ("plan", f"{base}/trials", lambda p: p.get_by_role("link", name="Plan a trial…"),
         lambda p: p.get_by_label("Margin").get_by_text("Calls")),
        ("verdict", f"{base}/brief", lambda p: p.get_by_role("link", name="Verdict"),
         lambda p: p.get_by_role("heading", name="Better in")),
    ]  # fmt: skip
    rows = []
    chromium = shutil.which("chromium")
    with (
        setting_up.process(*web, *quiet, port=port),
        _bare_pages() as bare,
        sync_playwright() as playwright,
    ):
        browser = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.set_default_timeout(60_000)
        floor = _median(
            page, f"{bare}/one.html", lambda p: p.get_by_role("link"),
            lambda p: p.get_by_role("heading", name="two"),
        )  # fmt: skip
        for what, begin, link, seen in steps:
            took = _median(page, f"http://127.0.0.1:{port}{begin}", link, seen)
            rows.append(
                {
                    "what": f"click to {what}, 20,000 answers, {BRIEFS} briefs",
                    "ours": f"{took * 1000:.0f} ms",
                    "floor": f"{floor * 1000:.0f} ms",
                    "ratio": took / floor,
                    "goal": f"under 300 ms; load {os.getloadavg()[0]:.1f}",
                }
            )
        browser.close()
    return rows


def _median(page: Any, begin: str, link: Callable[[Any], Any], seen: Callable[[Any], Any]) -> float:
    times = []
    for n in range(TIMES + WARM_UP):
        if n == 0:
            page.goto(begin)
        else:
            page.go_back()
        link(page).wait_for()
        began = time.perf_counter()
        link(page).click()
        seen(page).wait_for()
        times.append(time.perf_counter() - began)
    return statistics.median(times[WARM_UP:])


@contextmanager
def _bare_pages() -> Iterator[str]:
    """Two static pages that link to each other."""
    folder = Path(os.environ["NOMIKON_DATA_DIR"]) / "bare"
    folder.mkdir(exist_ok=True)
    for name in ("one", "two"):
        (folder / f"{name}.html").write_text(BARE.format(name), encoding="utf-8")
    handler = functools.partial(_Quiet, directory=str(folder))
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_port}"
    finally:
        server.shutdown()


class _Quiet(http.server.SimpleHTTPRequestHandler):
    def log_message(self, *_: Any) -> None:
        """Nothing is told of every request."""


def _asked(trial: Any) -> list[dict[str, Any]]:
    """Requests by themselves: processor time in the server, the floor is its smallest answer."""
    from django.test import Client

    from nomikon.server.apps.trials.results import _table

    client = Client(headers={"host": "localhost"})
    base = f"/api/trials/{trial.pk}"
    arms = list(trial.arms.order_by("position").values_list("pk", flat=True))
    plan = {
        "versions": [v.number for v in trial.brief.versions.all()],
        "models": [trial.arms.first().model_id],
        "settings": [{}],
        "dataset_version": trial.dataset_version_id,
        "split": "working",
        "repeats": 1,
    }

    def get(path: str) -> Callable[[], Any]:
        return lambda: client.get(path)

    floor = _cpu(get("/api/session/"))
    asked: list[tuple[str, Callable[[], Any], str]] = [
        ("/api/desk/", get("/api/desk/"), "under 50 ms of processor time"),
        ("/api/briefs/N/", get(f"/api/briefs/{trial.brief_id}/"), "under 50 ms of processor time"),
        ("board's figures", get(f"{base}/"), "told"),
        ("cells of 20,000 answers", get(f"{base}/cells/"), "told"),
        ("words in 20,000 answers", get(f"{base}/selection/?words=wet+the&order=differ"),
         "under 500 ms"),
        ("where arms differ most", get(f"{base}/selection/?order=differ&differ=true"), "under 500 ms"),
        ("plan of 10 arms × 2,000 cases",
         lambda: client.post(f"/api/briefs/{trial.brief_id}/plan/", plan, content_type="application/json"),
         "told"),
    ]  # fmt: skip
    rows = [_told(what, _cpu(call), floor, goal) for what, call, goal in asked]
    _table.cache_clear()
    began = time.perf_counter()
    answer = client.get(f"{base}/compare/{arms[-1]}/{arms[0]}/")
    first = time.perf_counter() - began
    assert answer.status_code == 200, answer.content[:200]
    return [*rows, _told("first verdict, figures worked out", first, floor, "under 1 s")]


def _cpu(call: Callable[[], Any]) -> float:
    times = []
    for _ in range(5):
        began = time.process_time()
        answer = call()
        times.append(time.process_time() - began)
        assert answer.status_code == 200, answer.content[:200]
    return statistics.median(times)


def _told(what: str, took: float, floor: float, goal: str) -> dict[str, Any]:
    return {
        "what": what,
        "ours": f"{took * 1000:.0f} ms",
        "floor": f"{floor * 1000:.1f} ms",
        "ratio": took / floor,
        "goal": goal,
    }
