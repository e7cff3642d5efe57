"""A version as a working request: curl and Python are run, and ask what a trial asks."""

import json
import shutil
import subprocess
import sys
import tempfile
import threading
import unittest
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from nomikon.core.errors import MissingValueError, PromptError
from nomikon.core.prompts import Message
from nomikon.models.request_code import as_curl, as_holes, as_python, calls_of, variables_of
from nomikon.models.types import CHAT_COMPLETIONS, OPEN_INFERENCE, Connection


class Ear(BaseHTTPRequestHandler):
    """Takes what is sent, and answers with the number of the call."""

    def do_POST(self):
        body = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
        self.server.heard.append((self.path, self.headers.get("Authorization"), body))
        said = f"answer {len(self.server.heard)}"
        event = (
            {"text_output": said}
            if "text_input" in body
            else {"choices": [{"delta": {"content": said}}]}
        )
        reply = f"data: {json.dumps(event)}\n\ndata: [DONE]\n\n".encode()
        self.send_response(200)
        self.send_header("Content-Length", str(len(reply)))
        self.end_headers()
        self.wfile.write(reply)

    def log_message(self, *_):
        """Nothing to say on standard error."""


class RequestCodeTest(unittest.TestCase):
    CASE = {"message": 'It\'s "lost" $HOME `date` \\n\nöß 日本 {{x}}'}
    MESSAGES = [Message("system", "Sort it."), Message("user", "Message: {{message}}")]

    def setUp(self):
        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Ear)
        self.server.heard = []
        threading.Thread(target=self.server.serve_forever, daemon=True).start()
        self.addCleanup(self.server.server_close)
        self.addCleanup(self.server.shutdown)

    def connection(self, protocol=CHAT_COMPLETIONS):
        url = f"http://127.0.0.1:{self.server.server_address[1]}/v1"
        return Connection("c", 1, protocol, url)

    def run_python(self, text):
        with tempfile.TemporaryDirectory() as place:
            file = Path(place) / "ask.py"
            file.write_text(text, encoding="utf-8")
            done = subprocess.run(
                [sys.executable, "-I", str(file)],
                capture_output=True,
                text=True,
                env={"KEY_HERE": "k-1"},
                timeout=30,
            )
        self.assertEqual(done.returncode, 0, done.stderr)
        return done.stdout

    def test_curl_and_python_send_the_very_bodies_and_the_key_from_the_environment(self):
        connection = self.connection()
        calls = calls_of(self.MESSAGES, {"temperature": 0.2}, self.CASE, connection, "m", ["seed"])
        self.assertNotIn("seed", calls[0][1])
        self.assertEqual(
            self.run_python(as_python(calls, connection, "m", "KEY_HERE")), "answer 1\n"
        )
        curl = as_curl(calls, connection, "m", "KEY_HERE")
        if shutil.which("curl") is None:
            self.skipTest("no curl on this machine to run it with")
        self.assertNotIn("k-1", curl)
        done = subprocess.run(
            ["bash", "-c", curl],
            capture_output=True,
            text=True,
            env={"KEY_HERE": "k-1", "PATH": "/usr/bin:/bin"},
            timeout=30,
        )
        self.assertIn("answer 2", done.stdout, done.stderr)
        for path, key, body in self.server.heard:
            self.assertEqual((path, key, body), ("/v1/chat/completions", "Bearer k-1", calls[0][1]))

    def test_the_second_protocol(self):
        connection = self.connection(OPEN_INFERENCE)
        calls = calls_of(self.MESSAGES, {}, self.CASE, connection, "m")
        self.assertEqual(self.run_python(as_python(calls, connection, "m", None)), "answer 1\n")
        self.assertEqual(self.server.heard[0][2], calls[0][1])

    def test_a_later_step_is_sent_what_the_one_before_answered(self):
        steps = [
            Message("user", "Outline {{message}}", "outline"),
            Message("user", "Write it out: {{steps.outline}}", "text"),
        ]
        connection = self.connection()
        calls = calls_of(steps, {}, self.CASE, connection, "m")
        self.assertEqual(self.run_python(as_python(calls, connection, "m", None)), "answer 2\n")
        self.assertEqual(
            self.server.heard[1][2]["messages"][0]["content"], "Write it out: answer 1"
        )

    def test_placeholders_as_variables_are_filled_by_the_program_itself(self):
        steps = [
            Message("user", "Outline {{message}} for {{guest.name}}", "outline"),
            Message("user", "Of {{guest.name}}: {{steps.outline}}", "text"),
        ]
        case = {"message": 'a "b" {{guest.name}}\n', "guest": {"name": "Ada", "age": 7}}
        values = variables_of(steps, case)
        self.assertEqual(values, {"message": case["message"], "guest.name": "Ada"})
        connection = self.connection()
        calls = calls_of(steps, {}, as_holes(values), connection, "m")
        self.assertIn("{{guest.name}}", calls[0][1]["messages"][0]["content"])
        text = as_python(calls, connection, "m", None, values)
        self.run_python(text.replace("'Ada'", "'Eve'"))
        sent = [body["messages"][0]["content"] for _, _, body in self.server.heard]
        # What is put in is not filled again.
        self.assertEqual(sent, [f"Outline {case['message']} for Eve", "Of Eve: answer 1"])
        with self.assertRaises(PromptError) as caught:
            variables_of([Message("user", "{{#rows}}- {{.}}{{/rows}}")], {})
        self.assertIn("take the request of one case", caught.exception.message)

    def test_a_case_without_a_value_is_refused(self):
        with self.assertRaises(MissingValueError):
            calls_of(self.MESSAGES, {}, {}, self.connection(), "m")
