"""`nomikon run` against the stand-in: figures, exit status, JUnit, refusals, nothing paid twice."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from urllib.request import urlopen
from xml.etree import ElementTree

import openpyxl
import yaml

from nomikon.cli.running import Progress
from nomikon.core.stats import threshold_state
from tests.commands import nomikon
from tests.processes import Processes

ROOT = Path(__file__).parents[1]
PROMPT = """---
nomikon: prompt/1
name: {name}
---
::: user
{text}
:::
"""
CARD = {"nomikon": "scorecard/1", "measures": [{"measure": "normalised-match"}]}
LABELS = (
    "Sort the message into one of these labels: delay, lost item, other. Answer with the label "
    "only.\n\nMessage: {{message}}"
)


class WithStandin(unittest.TestCase):
    """A folder with prompts, cases and a scorecard, and the stand-in."""

    pace = "0"

    @classmethod
    def setUpClass(cls):
        cls.processes = Processes({})
        cls.base = cls.processes.standin("--pace", cls.pace)

    @classmethod
    def tearDownClass(cls):
        cls.processes.stop()

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.here = Path(folder.name)
        self.write("good.md", PROMPT.format(name="Good", text=LABELS))
        self.write("naive.md", PROMPT.format(name="Naive", text="Sort: {{message}}"))
        rows = ["id,message,reference,split"]
        rows += [f"d{i},the boat was {i} minutes late,delay,working" for i in range(9)]
        rows += [f"l{i},I lost my umbrella on deck {i},lost item,working" for i in range(9)]
        rows += ["h1,held out,delay,held-out"]
        self.write("cases.csv", "\n".join(rows))
        self.write("card.yaml", yaml.safe_dump(CARD))
        self.trial = {
            "nomikon": "trial/1",
            "prompts": ["good.md", "naive.md"],
            "models": [
                {
                    "name": "standin-boulder",
                    "price": {"input": 2, "output": 6},
                    "connection": {"base_url": self.base},
                }
            ],
            "settings": [{"temperature": 0}],
            "cases": "cases.csv",
            "scorecard": "card.yaml",
        }

    def write(self, name, text):
        (self.here / name).write_text(text, encoding="utf-8")

    def nomikon(self, command, *options):
        """The command on the trial as it stands: status, output, errors."""
        self.write("trial.yaml", yaml.safe_dump(self.trial, sort_keys=False))
        return nomikon(command, "trial.yaml", *options, cwd=self.here)

    def as_a_process(self, command, *options):
        """The same as a shell starts it."""
        self.write("trial.yaml", yaml.safe_dump(self.trial, sort_keys=False))
        done = subprocess.run(
            [sys.executable, "-m", "nomikon", command, "trial.yaml", *options],
            capture_output=True,
            text=True,
            cwd=self.here,
            env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
            timeout=120,
        )
        return done.returncode, done.stdout, done.stderr


class RunTest(WithStandin):
    def run_trial(self, *options, **change):
        self.trial |= change
        return self.nomikon("run", *options)

    def calls(self):
        with urlopen(self.base.replace("/v1", "/log"), timeout=5) as reply:
            return json.load(reply)["calls"]

    def test_figures_thresholds_and_junit(self):
        status, out, _ = self.run_trial(
            "--json",
            "--junit",
            "j.xml",
            thresholds=[
                {"measure": "total", "at_least": 0.6, "arm": "Good | standin-boulder | T 0"},
                {"measure": "normalised-match", "at_least": 0.9, "arm": "Naive | standin-boulder | T 0"},
            ],
        )  # fmt: skip
        found = json.loads(out)
        good, naive = found["arms"]
        self.assertEqual((good["arm"], good["n"], good["failed"]),
                         ("Good | standin-boulder | T 0", 18, 0))  # fmt: skip
        self.assertGreater(good["mean"], naive["mean"])
        self.assertEqual([t["state"] for t in found["thresholds"]], ["met", "missed"])
        self.assertEqual(status, 1)
        suite = ElementTree.parse(self.here / "j.xml").getroot()
        self.assertEqual((suite.get("tests"), suite.get("failures")), ("4", "1"))
        self.assertGreater(float(suite.get("time")), 0)
        self.assertGreater(float(suite.find("testcase").get("time")), 0)
        self.assertEqual(suite.find("properties/property[@name='strict']").get("value"), "false")
        # The cases that failed: by their names, with input, answer and why.
        (failure,) = suite.iter("failure")
        first = failure.text.split("\n\n")[0]
        self.assertRegex(first, r"^case [dl]\d, repeat 1: 0\.000, .*\n  message: .*\n  answer: ")
        # By hand: tokens at their price per million.
        price = (good["tokens_in"] * 2 + good["tokens_out"] * 6) / 1e6
        self.assertAlmostEqual(good["cost"], price, places=9)

    def test_a_threshold_names_arms_by_what_they_have_in_common(self):
        settings = [{"temperature": 0}, {"temperature": 0, "max_tokens": 40}]
        rule = {"measure": "total", "at_least": 0.1}
        for arm, n in (
            ({"prompt": "Good"}, 2),
            ({"prompt": "naive.md", "settings": {"max_tokens": 40}}, 1),
            ({"model": "standin-boulder", "settings": {"temperature": 0}}, 4),
        ):
            thresholds = [{**rule, "arm": arm}]
            _, out, err = self.run_trial("--json", settings=settings, thresholds=thresholds)
            told = json.loads(out)["thresholds"]
            self.assertEqual(len({t["arm"] for t in told}), n, err)
        thresholds = [{**rule, "arm": {"prompt": "Good", "settings": {"top_p": 1}}}]
        status, _, err = self.run_trial(settings=settings, thresholds=thresholds)
        self.assertEqual((status, 'no arm with prompt "Good"' in err), (2, True), err)

    def test_headers_and_fields_beside_a_request(self):
        connection = self.trial["models"][0]["connection"]
        connection |= {"headers": {"X-Team": "ferry"}, "body_fields": {"top_k": 3}}
        self.run_trial("--outputs", "o.jsonl")
        row = json.loads((self.here / "o.jsonl").read_text("utf-8").splitlines()[0])
        self.assertEqual(row["calls"][0]["request"]["top_k"], 3)
        self.assertEqual({type(row["case"]), row["id"][0] in "dl"}, {int, True})
        connection["headers"] = {"Host": "elsewhere"}
        status, _, err = self.run_trial()
        self.assertEqual((status, "the header Host is the program's own" in err), (2, True), err)

    def test_how_far_it_is_in_a_log_and_at_a_terminal(self):
        now = [0.0]
        progress = Progress(100, terminal=False, clock=lambda: now[0])
        told = []
        for done in range(1, 101):
            now[0] += 0.125
            told.append(progress.line(done))
        lines = [t for t in told if t]
        self.assertEqual(
            lines,
            [
                "40 of 100 answers, about 8 s left",
                "80 of 100 answers, about 2 s left",
                "100 of 100 answers",
            ],
        )
        bar = Progress(4, terminal=True, clock=lambda: now[0])
        self.assertEqual(bar.line(2)[:33], "\r[" + "=" * 15 + " " * 15 + "]")

    def test_an_outputs_file_saves_what_was_paid_for(self):
        self.run_trial("--outputs", "o.jsonl")
        before = self.calls()
        status, out, _ = self.run_trial("--json", "--outputs", "o.jsonl", repeats=2)
        self.assertEqual((status, self.calls() - before), (0, 36))
        self.assertEqual(json.loads(out)["arms"][0]["n"], 36)
        lines = (self.here / "o.jsonl").read_text("utf-8").splitlines()
        self.assertEqual(len(lines), 72)
        # Killed in the middle of a line: the rest is used, the broken line asked again.
        self.write("o.jsonl", "\n".join(lines[:-1]) + "\n" + lines[-1][:100])
        before = self.calls()
        status, _, err = self.run_trial("--json", "--outputs", "o.jsonl")
        self.assertEqual((status, self.calls() - before), (0, 1), err)

    def test_twins_are_asked_and_held_to_a_threshold(self):
        twins = {"measure": "twins", "kinds": ["greeting", "paragraph"], "weight": 0}
        card = {**CARD, "measures": [*CARD["measures"], twins]}
        self.write("card.yaml", yaml.safe_dump(card))
        held_to = [
            {"measure": "twins", "at_least": 0.1, "arm": "Good | standin-boulder | T 0"},
        ]
        status, out, _ = self.run_trial("--json", "--outputs", "o.jsonl", thresholds=held_to)
        told = json.loads(out)
        (held,) = told["thresholds"]
        self.assertEqual((status, held["measure"], held["state"]), (0, "twins", "met"), out)
        rows = [
            json.loads(line) for line in (self.here / "o.jsonl").read_text("utf-8").splitlines()
        ]
        self.assertEqual({len(r["calls"]) for r in rows}, {3})
        before = self.calls()
        again = json.loads(self.run_trial("--json", "--outputs", "o.jsonl")[1])
        self.assertEqual((self.calls(), again["thresholds"]), (before, told["thresholds"]))

    def test_a_shell_sees_the_same(self):
        self.trial["prompts"] = ["good.md"]
        plain = json.loads(self.nomikon("run", "--json")[1])
        status, out, _ = self.as_a_process("run", "--json")
        shell = json.loads(out)
        for told in (plain, shell):
            for arm in told["arms"]:
                arm.pop("latency_ms")
        self.assertEqual((status, shell), (0, plain))

    def test_held_out_cases_unpriced_models_and_spreadsheets(self):
        book = openpyxl.Workbook()
        for row in [("message", "reference", "split"), ("late boat", "delay", "held-out")]:
            book.active.append(row)
        book.save(self.here / "cases.xlsx")
        del self.trial["models"][0]["price"]
        status, out, _ = self.run_trial("--json", cases="cases.xlsx", split="held-out")
        arm = json.loads(out)["arms"][0]
        self.assertEqual((status, arm["n"], arm["cost"]), (0, 1, None))
        self.assertIn("no price", arm["why_null"])

    def test_a_spent_budget_is_something_amiss(self):
        status, out, _ = self.run_trial("--json", budget=0.000001)
        self.assertEqual((status, json.loads(out)["trial"]["state"]), (1, "paused"))

    def test_a_server_that_is_not_there_is_something_amiss(self):
        self.trial["models"][0]["connection"] = {"base_url": "http://127.0.0.1:9/v1"}
        status, out, _ = self.run_trial(
            "--json", prompts=["good.md"], cases="one.csv", **self.one()
        )
        arm = json.loads(out)["arms"][0]
        self.assertEqual((status, arm["failures"], arm["mean"]), (1, {"nothing_listens": 1}, None))

    def one(self):
        self.write("one.csv", "message,reference\nlate,delay\n")
        return {}

    def test_refusals_name_file_and_line(self):
        self.write("twice.csv", "id,message\na,x\na,y\n")
        self.write("short.csv", "message,reference\nx\n")
        self.write("bad-card.yaml", "nomikon: scorecard/1\nmeasures:\n  - measure: nonsense\n")
        model = self.trial["models"][0]
        for change, where, words in [
            ({"nomikon": "trial/2"}, "trial.yaml:1", "trial/1"),
            ({"prompts": ["gone.md"]}, "gone.md", "no such file"),
            ({"cases": "twice.csv"}, "twice.csv:3", "stands on line 2"),
            ({"cases": "short.csv"}, "short.csv:2", "1 fields"),
            ({"cases": "cases.csv", "reference": "nope"}, "cases.csv:1", "no column"),
            ({"scorecard": "bad-card.yaml"}, "bad-card.yaml:3", "nonsense"),
            ({"settings": [{"temperature": 9}]}, "trial.yaml", "from 0 to 2"),
            ({"repeats": 0}, "trial.yaml", "minimum"),
            ({"models": [{**model, "connection": {"base_url": "ftp://x"}}]}, "trial.yaml", "http"),
            ({"models": [{**model, "price": {"input": -1, "output": 1}}]}, "trial.yaml", "minimum"),
            (
                {"models": [{**model, "connection": {"base_url": self.base, "key_env": "NOT_SET_X"}}]},
                "trial.yaml",
                "NOT_SET_X is not set",
            ),
            (
                {"models": [{"name": "m", "connection": {"base_url": self.base}}], "budget": 1},
                "trial.yaml",
                "no price",
            ),
            ({"thresholds": [{"measure": "nope", "at_least": 1}]}, "trial.yaml", "no 'nope'"),
            ({"thresholds": [{"measure": "total", "at_least": 1, "arm": "x"}]}, "trial.yaml", "no arm"),
            ({"thresholds": [{"measure": "total"}]}, "trial.yaml", "at_least or at_most"),
        ]:  # fmt: skip
            kept = dict(self.trial)
            with self.subTest(change=change):
                status, out, err = self.run_trial("--json", **change)
                self.assertEqual((status, out, err.count("\n")), (2, "", 1), err)
                self.assertIn(where, err)
                self.assertIn(words, err)
            self.trial = kept


class ThresholdTest(unittest.TestCase):
    def test_by_the_interval_and_not_by_the_point(self):
        for low, high, rule, state in [
            (0.8, 0.9, {"at_least": 0.8}, "met"),
            (0.7, 0.79, {"at_least": 0.8}, "missed"),
            (0.7, 0.9, {"at_least": 0.8}, "unsure"),
            (0.1, 0.2, {"at_most": 0.2}, "met"),
            (0.21, 0.3, {"at_most": 0.2}, "missed"),
            (0.1, 0.3, {"at_most": 0.2}, "unsure"),
            (None, None, {"at_least": 0.0}, "unsure"),
        ]:
            with self.subTest(low=low, high=high, rule=rule):
                self.assertEqual(threshold_state(low, high, **rule), state)


class SchemaTest(unittest.TestCase):
    def test_the_documented_schema_is_the_one_in_use(self):
        used = ROOT / "src/nomikon/core/files/schemas/trial.schema.json"
        self.assertEqual(used.read_text(), (ROOT / "docs/formats/trial.schema.json").read_text())


class CheckAndTryTest(WithStandin):
    """`nomikon check` and `nomikon try`, on the same stand-in."""

    def command(self, *words):
        return nomikon(*words, cwd=self.here)

    def test_findings_of_a_file(self):
        self.write("p.md", PROMPT.format(name="P", text="Sort {{mesage}} now. TODO"))
        status, out, _ = self.command("check", "p.md", "--dataset", "cases.csv", "--json")
        found = json.loads(out)["findings"]
        by_rule = {f["rule"]: f for f in found}
        self.assertEqual(status, 1)
        hole = by_rule["placeholder-without-column"]
        self.assertEqual((hole["severity"], hole["clause"], hole["start"]), ("error", 1, 5))
        self.assertEqual(hole["fix"], {"start": 5, "end": 15, "text": "{{message}}"})
        self.assertIn("editing-mark", by_rule)

    def test_a_prompt_too_long_for_the_model(self):
        status, out, _ = self.command("check", "good.md", "--model", "tiny=10", "--json")
        self.assertEqual(status, 1)
        self.assertIn("too-long-for-context", [f["rule"] for f in json.loads(out)["findings"]])
        self.assertEqual(self.command("check", "good.md", "--model", "unknown")[0], 2)

    def test_one_case_is_tried_for_real(self):
        self.write("case.json", json.dumps({"message": "I lost my hat"}))
        words = ("try", "good.md", "--case", "case.json", "--base-url", self.base, "--json")
        status, out, err = self.command(
            *words, "--model", "standin-boulder", "--set-temperature", "0",
            "--price-in", "2", "--price-out", "6",
        )  # fmt: skip
        came = json.loads(out)
        self.assertEqual((status, came["finish_reason"]), (0, "stop"), err)
        self.assertTrue(came["output"])
        self.assertIn("I lost my hat", came["messages"][0]["content"])
        self.assertEqual(came["request"]["temperature"], 0)
        price = (came["tokens_in"] * 2 + came["tokens_out"] * 6) / 1e6
        self.assertAlmostEqual(came["cost"], price, places=9)
        status, out, _ = self.command(*words, "--model", "nobody")
        self.assertEqual((status, json.loads(out)["cost"]), (1, None))
        self.assertIn("nobody", json.loads(out)["why"])

    def test_refusals(self):
        for words, told in [
            (("--base-url", "localhost:1", "--model", "m"), "http"),
            (("--base-url", self.base, "--model", "m", "--set-temperature", "9"), "from 0 to 2"),
            (("--base-url", self.base, "--model", "m", "--key-env", "NOT_SET_X"), "not set"),
            (("--base-url", self.base, "--model", "m"), "no value for message"),
        ]:
            with self.subTest(words=words):
                status, _, err = self.command("try", "good.md", *words)
                self.assertEqual((status, err.count("\n")), (2, 1))
                self.assertIn(told, err)


class WatchTest(WithStandin):
    """`nomikon watch`: the first run keeps figures, later ones are held to them."""

    # Its times are watched, too: a busy machine is nothing beside answers that take a while.
    pace = "0.4"

    def test_what_holds_what_drifts_and_when_the_checks_are_used_up(self):
        self.trial["prompts"] = ["good.md"]
        kept = ("--kept", "kept.json", "--planned", "2", "--json")
        status, out, _ = self.nomikon("watch", *kept)
        first = json.loads(out)
        self.assertEqual((status, first["check"], first["planned"]), (0, 0, 2))
        self.assertEqual(first["arms"][0]["n_cases"], 18)
        status, out, _ = self.nomikon("watch", *kept)
        (row,) = json.loads(out)["arms"]
        self.assertEqual((status, row["drifted"], row["score"]["change"]), (0, False, 0))
        self.assertAlmostEqual(row["score"]["level"], 0.05 / 6)
        # As if the same arm had been right everywhere before, and the prompt lost its labels.
        self.write("good.md", PROMPT.format(name="Good", text="Sort: {{message}}"))
        # One case reads otherwise now: it is compared with nothing.
        cases = (self.here / "cases.csv").read_text(encoding="utf-8")
        self.write("cases.csv", cases.replace("was 0 minutes late", "was on time"))
        status, out, _ = self.nomikon("watch", *kept)
        (row,) = json.loads(out)["arms"]
        self.assertEqual((row["n_cases"], row["changed_cases"]), (17, 1))
        self.assertEqual((status, row["drifted"]), (1, True))
        self.assertLess(row["score"]["change"], -0.5)
        status, _, err = self.nomikon("watch", *kept)
        self.assertEqual(status, 2)
        self.assertIn("all 2 planned checks are used", err)

    def test_twins_are_a_fourth_thing_watched(self):
        self.trial["prompts"] = ["good.md"]
        twins = {"measure": "twins", "kinds": ["greeting", "lower"], "weight": 0}
        self.write("card.yaml", yaml.safe_dump({**CARD, "measures": [*CARD["measures"], twins]}))
        kept = ("--kept", "kept.json", "--planned", "2", "--json")
        self.nomikon("watch", *kept)
        before = json.loads((self.here / "kept.json").read_text("utf-8"))
        (own,) = before["arms"].values()
        # As if every twin had held before.
        for values in own.values():
            values["twins"] = 1.0
        self.write("kept.json", json.dumps(before))
        self.write("good.md", PROMPT.format(name="Good", text="Sort: {{message}}"))
        status, out, _ = self.nomikon("watch", *kept)
        (row,) = json.loads(out)["arms"]
        self.assertEqual(row["twins"]["before"], 1)
        self.assertAlmostEqual(row["twins"]["level"], 0.05 / 8)
        self.assertEqual((status, row["twins"]["drifted"]), (1, row["twins"]["p"] <= 0.05 / 8))
        status, out, _ = self.nomikon("watch", "--kept", "kept.json", "--planned", "2")
        self.assertIn("; twins 1 before, ", out)

    def test_a_file_that_is_no_watch_is_refused_and_left_alone(self):
        self.write("kept.json", '{"nomikon": "trial/1"}')
        status, out, err = self.nomikon("watch", "--kept", "kept.json")
        self.assertEqual((status, out), (2, ""))
        self.assertIn("kept.json: this is no file of a watch", err)
        self.assertEqual((self.here / "kept.json").read_text(), '{"nomikon": "trial/1"}')


class WeighTest(WithStandin):
    """`nomikon weigh`: what a clause is worth, from the command line."""

    TEXT = (
        "Sort the message into one of these labels: delay, lost item, other.\n"
        "Answer with the label only.\nBe friendly.\n\nMessage: {{message}}"
    )

    def test_what_earns_and_what_stays(self):
        self.write("good.md", PROMPT.format(name="Good", text=self.TEXT))
        self.trial["prompts"] = ["good.md"]
        status, out, err = self.nomikon("weigh", "--json")
        self.assertEqual(status, 0, err)
        found = json.loads(out)
        self.assertEqual((found["rows"], found["n_cases"]), (3, 18))
        self.assertEqual([c["clauses"] for c in found["clauses"]], [[1], [3]])
        self.assertEqual([row["clause"] for row in found["locked"]], [2, 4])
        labels = found["clauses"][0]
        self.assertEqual(labels["verdict"], "earns")
        self.assertGreater(labels["low"], 0)
        self.assertGreater(labels["tokens"], 5)

    def test_several_arms_and_a_clause_that_is_not_there_are_refused(self):
        status, _, err = self.nomikon("weigh")
        self.assertEqual(status, 2)
        self.assertIn("this file has 2 arms", err)
        self.trial["prompts"] = ["good.md"]
        status, _, err = self.nomikon("weigh", "--keep", "40")
        self.assertEqual(status, 2)
        self.assertIn("there is no clause §40", err)
