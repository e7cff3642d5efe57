"""Takes every picture of docs/screenshots/ from the demo, run for real: `make screenshots`.

Each picture waits for what it is to show; one that still says that it is loading is refused, and so
is a picture that the README does not link. A picture that cannot be taken ends the run with 1.
"""

from __future__ import annotations

import contextlib
import json
import re
import shutil
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from urllib.request import Request, urlopen

from playwright.sync_api import Page, expect, sync_playwright

from tests.processes import Processes, free_port, listening, wait_until

ROOT = Path(__file__).resolve().parents[1]
PLACE = ROOT / "docs/screenshots"
SIZE = {"width": 1280, "height": 800}
DEMO_WITHIN_S = 600
SLOW_MS = 90_000
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--hide-scrollbars"]

Shot = Callable[["Shoot"], None]
SHOTS: dict[str, Shot] = {}


def shot(name: str) -> Callable[[Shot], Shot]:
    """Put a picture on the list, in the order in which they are taken."""

    def listed(take: Shot) -> Shot:
        SHOTS[name] = take
        return take

    return listed


class Shoot:
    """The demo as it is served, and one page."""

    def __init__(self, page: Page, address: str, processes: Processes) -> None:
        self.page, self.address, self.processes = page, address, processes
        briefs = {b["name"]: b["id"] for b in self.get("desk/")["briefs"]}
        self.triage, self.notice, self.apology = (
            briefs[n] for n in ("Message triage", "Service notice", "Apology reply")
        )

    def get(self, path: str):
        with urlopen(f"{self.address}/api/{path}", timeout=60) as answer:
            return json.load(answer)

    def post(self, path: str, body: dict):
        return self.send("POST", path, body)

    def put(self, path: str, body: dict):
        return self.send("PUT", path, body)

    def send(self, method: str, path: str, body: dict):
        token = self.get("session/")["csrf"]
        request = Request(
            f"{self.address}/api/{path}",
            json.dumps(body).encode(),
            {"Content-Type": "application/json", "X-CSRFToken": token,
             "Cookie": f"csrftoken={token}", "Referer": self.address},
            method=method,
        )  # fmt: skip
        with urlopen(request, timeout=60) as answer:
            return json.load(answer)

    def open(self, path: str, theme: str = "light") -> None:
        self.page.goto(self.address)
        self.page.evaluate(f"localStorage.setItem('nomikon-theme', '{theme}')")
        self.page.goto(self.address + path)

    def sees(self, words: str | re.Pattern[str], within_ms: int = 20_000) -> None:
        expect(self.page.get_by_text(words).first).to_be_visible(timeout=within_ms)

    def press(self, name: str | re.Pattern[str]) -> None:
        self.page.get_by_role("button", name=name).first.click()

    def take(self, name: str) -> None:
        """Refused while anything on the page says that it is loading."""
        self.page.wait_for_load_state("networkidle")
        expect(self.page.get_by_text(re.compile(r"^Loading "))).to_have_count(0)
        self.page.wait_for_timeout(300)
        self.page.screenshot(path=PLACE / f"{name}.png")


@shot("desk")
def desk(s: Shoot) -> None:
    s.open("/")
    s.sees("v4 adopted.")


@shot("draft")
def draft(s: Shoot) -> None:
    """The text with its answers, and two wishes with the changes that would grant them in the margin."""
    s.open(f"/briefs/{s.triage}/draft?v=3")
    expect(s.page.get_by_role("heading", name="Version 3")).to_be_visible()
    answers = s.page.get_by_role("region", name="Answers")
    answers.get_by_role("button", name=re.compile("^Ask 2")).click()
    expect(answers.get_by_text("complete ·")).to_have_count(2)
    for wish in ("at most 40 words", "add the category weather"):
        s.page.get_by_label("Change it so that").fill(wish)
        s.page.keyboard.press("Enter")
    expect(s.page.get_by_role("button", name="Take", exact=True)).to_have_count(2)
    s.page.evaluate("document.activeElement.blur(); window.scrollTo(0, 0)")


@shot("talk")
def talk(s: Shoot) -> None:
    """A talk with the text as it stands, its turns numbered, one of them said otherwise."""
    s.open(f"/briefs/{s.notice}/draft")
    answers = s.page.get_by_role("region", name="Answers")
    answers.get_by_role("button", name="To what").click()
    s.page.get_by_role("radio", name="a talk").click()
    s.page.keyboard.press("Escape")
    answers.get_by_role("button", name=re.compile("^Begin, free")).click()
    for n, turn in ((2, "Say when the bus leaves."), (3, "And in German.")):
        answers.get_by_label(f"Turn {n}, what the user says").fill(turn)
        answers.get_by_role("button", name=re.compile(f"^Say turn {n}, free")).click()
    expect(answers.get_by_text("try 3 of 3")).to_be_visible()
    expect(answers.get_by_label("Turn 4, what the user says")).to_be_visible()
    s.page.evaluate("document.activeElement.blur(); window.scrollTo(0, 0)")


@shot("beside")
def beside(s: Shoot) -> None:
    """Four versions side by side, clause by clause."""
    s.open(f"/briefs/{s.triage}/draft?v=4")
    s.page.get_by_role("tab", name="Versions").click()
    s.press("Beside which versions")
    for number in (6, 5, 3):
        box = s.page.get_by_role("checkbox", name=re.compile(f"^v{number} "))
        if not box.is_checked():
            box.click()
    s.page.keyboard.press("Escape")
    expect(s.page.get_by_role("region", name="Side by side")).to_be_visible()
    s.page.evaluate("document.activeElement.blur(); window.scrollTo(0, 0)")


@shot("help")
def help_page(s: Shoot) -> None:
    s.open("/help")
    expect(s.page.get_by_role("heading").first).to_be_visible()


@shot("cases")
def cases(s: Shoot) -> None:
    s.open(f"/briefs/{s.triage}/cases")
    expect(s.page.get_by_role("grid", name="Cases")).to_be_visible()
    s.sees(re.compile("smallest difference|can show"))


@shot("plan")
def plan(s: Shoot) -> None:
    s.open(f"/briefs/{s.triage}/trials/plan")
    expect(s.page.get_by_role("button", name=re.compile(r"^Start \d+ calls"))).to_be_visible()


@shot("trial")
def board(s: Shoot) -> None:
    s.open(f"/briefs/{s.triage}/trials")
    expect(s.page.get_by_role("table", name="Scores of every case by every arm")).to_be_visible()


@shot("answers")
def answers(s: Shoot) -> None:
    s.open(f"/briefs/{s.triage}/trials?order=differ&differ=yes")
    expect(s.page.get_by_role("table", name="Scores of every case by every arm")).to_be_visible()
    s.page.get_by_role("cell", name=re.compile("^Case .*arm L")).first.get_by_role("button").click()
    expect(s.page.get_by_text("only there")).to_be_visible()
    s.page.mouse.move(600, 760)


@shot("verdict")
def verdict(s: Shoot) -> None:
    s.open(f"/briefs/{s.triage}/verdict")
    expect(s.page.get_by_role("heading", name=re.compile("^Is "))).to_be_visible()
    s.sees(re.compile(r"^(Better|Worse|Level|Not shown|No worse and cheaper)$"))
    expect(s.page.get_by_role("link", name="Report")).to_be_visible()


@shot("culprits")
def culprits(s: Shoot) -> None:
    """Which of the changes between two versions moved the cases."""
    trial = s.get(f"briefs/{s.triage}/trials/")[0]["id"]
    arms = {(a["version"], a["model_short"]): a["id"] for a in s.get(f"trials/{trial}/")["arms"]}
    newer, older = arms[6, "pebble"], arms[4, "pebble"]
    s.open(f"/briefs/{s.triage}/verdict?trial={trial}&a={newer}&b={older}")
    s.press(re.compile("^Find out which did it"))
    table = s.page.get_by_role("table", name="Amendments, the most harmful first")
    expect(table).to_be_visible(timeout=SLOW_MS)
    s.page.get_by_role("heading", name="Worse in").scroll_into_view_if_needed()
    s.page.mouse.move(600, 500)
    s.page.mouse.wheel(0, 250)


@shot("review")
def review(s: Shoot) -> None:
    s.open(f"/briefs/{s.triage}/review")
    expect(s.page.get_by_label("Answer", exact=True)).to_be_visible()


@shot("scorecard")
def scorecard(s: Shoot) -> None:
    s.open(f"/briefs/{s.apology}/brief")
    expect(s.page.get_by_role("heading", name="The job")).to_be_visible()
    s.page.get_by_role("button", name="Change…").last.click()
    expect(s.page.get_by_label("Must pass").last).to_be_visible()
    # The rubric is the last of the measures.
    s.page.get_by_label("Must pass").last.scroll_into_view_if_needed()
    s.page.mouse.move(600, 600)
    s.page.mouse.wheel(0, 500)


@shot("amend")
def amend(s: Shoot) -> None:
    s.open(f"/briefs/{s.triage}/review?v=2")
    s.page.get_by_role("navigation", name="Review").get_by_text("Faults and amendments").click()
    # The later trial has no answers of v2.
    s.page.get_by_label("In trial").select_option(index=1)
    expect(s.page.get_by_role("heading", name="Faults of v2")).to_be_visible()
    expect(s.page.get_by_role("list", name="Faults")).to_be_visible()
    s.press("Propose by rule, without a model")
    expect(s.page.get_by_role("article").first).to_be_visible()
    s.page.get_by_role("article").first.scroll_into_view_if_needed()


@shot("weights")
def weights(s: Shoot) -> None:
    s.open(f"/briefs/{s.triage}/draft?v=5&view=Weights")
    s.page.get_by_label("The model it is for").select_option(label="standin-cobble (simulated)")
    s.press(re.compile(r"^Weigh \d+ clauses"))
    s.sees("The whole prompt scores", SLOW_MS)
    s.sees("§ 3 earns its place")


@shot("rounds")
def rounds(s: Shoot) -> None:
    s.open(f"/briefs/{s.triage}/review?view=rounds&v=1")
    s.page.get_by_label("Rounds at most").fill("2")
    s.page.get_by_label("Candidates a round").fill("2")
    s.press("Start 2 rounds")
    s.sees("all 2 rounds are run", SLOW_MS)
    s.sees(re.compile("The gain holds|gain"))


@shot("twins")
def twins(s: Shoot) -> None:
    """Case and twin by kind and model, for the adopted version."""
    ask_twins(s)
    s.page.mouse.move(600, 760)


@shot("pair")
def pair(s: Shoot) -> None:
    """A broken pair: what was changed of the input, and what became of the answer."""
    ask_twins(s)
    table = s.page.get_by_role("table", name=re.compile("^Pairs that behave"))
    row = table.get_by_role("row", name=re.compile("^letters struck"))
    row.get_by_role("button").first.click()
    expect(s.page.get_by_role("article", name=re.compile("^Twin ")).first).to_be_visible()
    s.page.get_by_role("region", name="Pairs").scroll_into_view_if_needed()
    s.page.mouse.move(600, 600)
    s.page.mouse.wheel(0, 500)


def ask_twins(s: Shoot) -> None:
    """Twins of the triage cases, asked of v4 on every model; once."""
    sets = s.get(f"briefs/{s.triage}/twins/")
    if not sets:
        data = s.get(f"briefs/{s.triage}/")["datasets"][0]["id"]
        looked = s.post(f"briefs/{s.triage}/twins/look/", {"dataset": data, "n_cases": 20})
        kinds = [k["kind"] for k in looked["kinds"] if k["n"] and k["kind"] != "negation"]
        body = {"dataset": data, "n_cases": 20, "kinds": kinds}
        made = s.post(f"briefs/{s.triage}/twins/", body)["id"]
        models = [m["id"] for c in s.get("connections/") for m in c["models"]]
        s.post(f"twins/{made}/ask/", {"versions": [4], "models": models})
    s.open(f"/briefs/{s.triage}/trials/twins?v=4")
    expect(s.page.get_by_text("all kinds")).to_be_visible(timeout=SLOW_MS)
    expect(s.page.get_by_text("answers are there")).to_have_count(0, timeout=SLOW_MS)


def another(s: Shoot, name: str, kind: str) -> tuple[int, int]:
    """A connection to a stand-in whose every reply has one manner; its id, and its one model's."""
    with tempfile.TemporaryDirectory() as folder:
        faults = Path(folder) / "faults.json"
        faults.write_text(json.dumps({"faults": [{"kind": kind, "share": 1.0}]}), encoding="utf-8")
        base = s.processes.standin("--pace", "0.5", "--faults", str(faults))
    made = s.post("connections/add/", {"name": name, "base_url": base, "concurrency": 8})
    body = {"name": "standin-boulder", "price_in": "2", "price_out": "8"}
    return made["id"], s.post(f"connections/{made['id']}/models/", body)["id"]


@shot("begin")
def begin(s: Shoot) -> None:
    """The first thing that anybody sees: a data directory with nothing in it."""
    folder, port = tempfile.mkdtemp(prefix="nomikon-empty-"), free_port()
    s.processes.start("nomikon", "serve", "--port", str(port), "--data-dir", folder)
    wait_until(lambda: listening(port), 60, "the page of an empty desk")
    s.page.goto(f"http://127.0.0.1:{port}/")
    s.page.get_by_label("The job").fill(
        "A guest’s note becomes one of praise, complaint or question, for the desk"
    )
    s.page.get_by_label("Simulated models").check()
    expect(
        s.page.get_by_role("button", name="Write a first draft, free, simulated")
    ).to_be_enabled()


@contextlib.contextmanager
def the_demo() -> Iterator[tuple[str, Processes]]:
    """The demo seeded with its trials run, served on a free port; what was done to it is thrown away."""
    folder = tempfile.mkdtemp(prefix="nomikon-pictures-")
    processes = Processes({"NOMIKON_DATA_DIR": folder})
    port = free_port()
    try:
        processes.start("nomikon", "demo", "--port", str(port), "--data-dir", folder)
        wait_until(lambda: listening(port), 60, "the demo's page")
        address = f"http://127.0.0.1:{port}"

        def ready() -> bool:
            with urlopen(f"{address}/api/desk/", timeout=60) as answer:
                briefs = json.load(answer)["briefs"]
            states = [b["state"] for b in briefs]
            return len(briefs) == 3 and any("adopted" in t for t in states) and not any(
                "running" in t for t in states
            )  # fmt: skip

        wait_until(ready, DEMO_WITHIN_S, "the demo's trials")
        yield address, processes
    finally:
        processes.stop()
        shutil.rmtree(folder, ignore_errors=True)


def main() -> int:
    wanted = sys.argv[1:] or list(SHOTS)
    readme = (ROOT / "README.md").read_text(encoding="utf-8")
    failed = [
        f"{n}: the README does not link it" for n in SHOTS if f"screenshots/{n}.png" not in readme
    ]
    chromium = shutil.which("chromium")
    if chromium is None:
        sys.exit("Chromium is not installed: as root, apt-get install chromium")
    with the_demo() as (address, processes), sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=chromium, args=FLAGS)
        page = browser.new_page(viewport=SIZE)
        page.set_default_timeout(20_000)
        shoot = Shoot(page, address, processes)
        for name in wanted:
            began = time.monotonic()
            try:
                SHOTS[name](shoot)
                shoot.take(name)
            except Exception as error:  # noqa: BLE001 - the next picture can still be taken
                failed.append(f"{name}: {str(error).splitlines()[0]}")
                page.screenshot(path=Path(tempfile.gettempdir()) / f"failed-{name}.png")
            print(f"{name} ({time.monotonic() - began:.0f} s)", flush=True)
        browser.close()
    for line in failed:
        print(f"not taken: {line}", file=sys.stderr)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
