"""From an empty data directory to the first answer, with the program as it is installed; presses are counted."""

import http.client
import http.server
import json
import re
import tempfile
import threading
import time
import unittest
import urllib.request

from playwright.sync_api import expect, sync_playwright

from tests.browser.driver import FLAGS
from tests.processes import Processes, free_port, wait_until

# Every press of a person, kept through the pages it leads to.
COUNT = """
addEventListener('click', (e) => {
  if (e.isTrusted && e.detail > 0) sessionStorage.presses = Number(sessionStorage.presses || 0) + 1
}, true)
"""
MOST_TO_AN_ANSWER, MOST_TO_A_COMPARISON = 3, 14
# An own server needs its address looked at and its models added: three presses more at most.
OWN_SERVER = 3
NOTES = """\
The crew found my hat and sent it after me, thank you	praise
Lovely crossing, the children were happy all day	praise
Your staff was so kind to my mother	praise
The toilets were dirty and the price is a joke	complaint
We waited two hours and nobody said a word	complaint
The cabin was cold and the bed was broken	complaint
When does the first boat leave on Sunday?	question
May I bring my dog on board?	question
Is there a lift to the upper deck?	question
"""


def plain_server(test):
    """A server that does not say of its models that they are simulated, as any own server would be."""
    behind = test.processes.standin("--pace", "0.2")

    class Passing(http.server.BaseHTTPRequestHandler):
        def pass_on(self):
            length = int(self.headers.get("Content-Length") or 0)
            request = urllib.request.Request(
                behind.removesuffix("/v1") + self.path,
                self.rfile.read(length) or None,
                {"Content-Type": "application/json"},
            )
            with urllib.request.urlopen(request, timeout=60) as came:
                body = came.read().replace(b'"simulated"', b'"of_a_kind"')
            self.send_response(200)
            self.send_header("Content-Type", came.headers["Content-Type"])
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        do_GET = do_POST = pass_on

        def log_message(self, *args):
            pass

    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Passing)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    test.addCleanup(server.server_close)
    test.addCleanup(server.shutdown)
    return f"http://127.0.0.1:{server.server_port}/v1"


class FirstHourTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder, self.port = folder.name, free_port()
        self.processes = Processes({})
        self.addCleanup(self.processes.stop)
        self.served = self.serve()
        playwright = sync_playwright().start()
        self.addCleanup(playwright.stop)
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        self.addCleanup(browser.close)
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        context.add_init_script(COUNT)
        context.set_default_timeout(60_000)
        self.page = context.new_page()

    def serve(self):
        made = self.processes.start(
            "nomikon", "serve", "--port", str(self.port), "--data-dir", self.folder
        )
        wait_until(self.answers, within_s=150, what="the page")
        return made

    def answers(self, port=None, path="/api/session/"):
        there = http.client.HTTPConnection("127.0.0.1", port or self.port, timeout=5)
        try:
            there.request("GET", path)
            return json.loads(there.getresponse().read())
        except (OSError, ValueError):
            return None
        finally:
            there.close()

    def first_answer(self, own=None):
        """Simulated models, or those of an own server at an address."""
        page = self.page
        page.goto(f"http://127.0.0.1:{self.port}/")
        expect(page.get_by_label("The job")).to_be_focused()
        page.keyboard.type(
            "A guest’s note becomes one of praise, complaint or question, for the desk"
        )
        write = page.get_by_role("button", name="Write a first draft")
        expect(write).to_be_disabled()
        if own is None:
            page.get_by_label("Simulated models").check()
            page.get_by_role("button", name="Write a first draft, free, simulated").click()
        else:
            page.get_by_label("My own models").check()
            expect(page.get_by_label("Address")).to_be_focused()
            page.keyboard.type(own)
            page.keyboard.press("Enter")
            page.get_by_role("button", name="Add 2 models").click()
            expect(write).to_be_enabled()
            write.click()
        expect(page.get_by_role("heading", name="Version 1", exact=True)).to_be_visible()
        text = page.get_by_label("Text of message 1, system")
        expect(text).to_contain_text("praise, complaint, question")
        answers = page.get_by_role("region", name="Answers")
        answers.get_by_role("textbox").focus()
        page.keyboard.type("The soup was cold and nobody came.")
        answers.get_by_role("button", name=re.compile("^Ask 2, ")).click()
        expect(answers.get_by_text("complete ·")).to_have_count(2)
        self.assert_presses(MOST_TO_AN_ANSWER + (OWN_SERVER if own else 0))

    def assert_presses(self, most):
        presses = self.page.evaluate("Number(sessionStorage.presses)")
        self.assertLessEqual(presses, most)

    def run_first(self):
        """From the first answer to a trial of ten cases that has ended."""
        page = self.page
        margin = page.get_by_label("Margin")
        margin.get_by_role("link", name="10 more cases").click()
        expect(page.get_by_text("Case 1 is what was tried:")).to_be_visible()
        field = page.get_by_label("Further cases, one a line")
        expect(field).to_be_focused()
        field.fill(NOTES)
        page.get_by_role("button", name="Take 10 cases in").click()
        expect(page.get_by_role("grid", name="Cases")).to_be_visible()
        margin.get_by_role("link", name="say what counts").click()
        page.get_by_role("button", name="Use th").click()
        expect(page.get_by_role("heading", name="Scorecard 1")).to_be_visible()
        margin.get_by_role("link", name="run v1 on 10 cases").click()
        page.get_by_role("button", name="Start").click()
        margin.get_by_role("link", name="read the lowest answers").wait_for(timeout=90_000)

    def compare(self, most):
        page = self.page
        expect(page.get_by_role("heading", name="Version 2", exact=True)).to_be_visible()
        link = page.get_by_label("Margin").get_by_role("link", name="see v2 against v1")
        link.click(timeout=90_000)
        title = page.get_by_role("heading", level=1)
        expect(title).to_contain_text("v2 on pebble better than")
        expect(title).to_contain_text("v1 on pebble")
        self.assert_presses(most)

    def test_a_first_answer_takes_three_presses_and_stays(self):
        self.first_answer()
        page, answers = self.page, self.page.get_by_role("region", name="Answers")
        # What comes next is told, and leads there.
        page.get_by_label("Margin").get_by_role("link", name="10 more cases").click()
        expect(page).to_have_url(f"http://127.0.0.1:{self.port}/briefs/1/cases")
        # What was typed and answered is there after the program was stopped and started again, and so
        # are its models: they end with it, and come back with it.
        (models,) = (c["base_url"] for c in self.answers(path="/api/connections/"))
        port = int(models.split(":")[2].split("/")[0])
        self.assertIsNotNone(self.answers(port, "/v1/models"))
        self.served.terminate()
        self.served.wait(20)
        time.sleep(0.5)
        self.assertIsNone(self.answers(port, "/v1/models"))
        self.serve()
        wait_until(lambda: self.answers(port, "/v1/models"), what="the simulated models")
        page.goto(f"http://127.0.0.1:{self.port}/briefs/1/draft")
        expect(answers.get_by_role("textbox").first).to_have_value(
            "The soup was cold and nobody came."
        )
        expect(answers.get_by_text("complete ·")).to_have_count(2)

    def test_a_scored_comparison_of_two_versions_takes_fourteen(self):
        self.first_answer()
        self.run_first()
        page = self.page
        page.get_by_role("link", name="Draft").click()
        page.get_by_role("region", name="Wishes").get_by_role("textbox").click()
        page.keyboard.type("Never add a word of your own.")
        page.keyboard.press("Enter")
        page.get_by_label("Margin").get_by_role("button", name="Take").click()
        page.get_by_role("button", name=re.compile("^Save and run, about")).click()
        self.compare(MOST_TO_A_COMPARISON)

    def test_with_an_own_server_and_by_what_the_lowest_answer_lacks_it_takes_seventeen(self):
        self.first_answer(own=plain_server(self))
        self.run_first()
        page, margin = self.page, self.page.get_by_label("Margin")
        margin.get_by_role("link", name="read the lowest answers").click()
        expect(margin.get_by_label("What is wrong with it, or right")).to_be_visible()
        page.keyboard.press("c")
        page.keyboard.type("It adds words of its own.")
        page.keyboard.press("Escape")
        page.keyboard.press("b")
        expect(page.get_by_text("Marked bad.")).to_be_visible()
        margin.get_by_role("link", name="turn 1 remark into changes").click()
        page.get_by_role("button", name="Propose amendments for").click()
        page.get_by_role("button", name=re.compile("^Save and run, ")).click()
        self.compare(MOST_TO_A_COMPARISON + OWN_SERVER)
