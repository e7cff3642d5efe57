"""The headless twins: one JSON document, the exit status, one line for unusable input."""

import itertools
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.commands import nomikon

PROMPT = """---
nomikon: prompt/1
name: Lost property note
task: extract
---
::: system
You read notes. Reply with e.g. JSON.
:::

::: user
Message: {{message}} {{steps.x}}
:::
"""


class Commands(unittest.TestCase):
    """Commands as they are called, with files of one's own."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def file(self, name, text):
        path = self.folder / name
        path.write_text(text, encoding="utf-8")
        return str(path)

    def run_cli(self, *words):
        return nomikon(*words)

    def as_a_process(self, *words):
        """The same as a shell starts it."""
        done = subprocess.run(
            [sys.executable, "-m", "nomikon", *words], capture_output=True, text=True, check=False
        )
        return done.returncode, done.stdout, done.stderr

    def json_of(self, *words):
        status, out, err = self.run_cli(*words, "--json")
        self.assertEqual(err, "")
        self.assertEqual(out.count("\n"), 1)
        return status, json.loads(out)

    def refused(self, *words):
        status, out, err = self.run_cli(*words, "--json")
        self.assertEqual((status, out), (2, ""))
        self.assertEqual(err.count("\n"), 1, err)
        return err


class CliTest(Commands):
    def test_render(self):
        prompt = self.file("p.md", PROMPT.replace(" {{steps.x}}", ""))
        status, got = self.json_of("render", prompt, "--set", "message=hi", "--set", "extra=1")
        self.assertEqual((status, got["missing"], got["unused"]), (0, [], ["extra"]))
        self.assertEqual(
            got["messages"][1], {"role": "user", "content": "Message: hi", "step": None}
        )
        case = self.file("c.json", '{"message": null}')
        status, got = self.json_of("render", prompt, "--case", case)
        self.assertEqual((status, got["missing"]), (1, ["message"]))

    def test_a_shell_sees_the_same(self):
        prompt = self.file("p.md", PROMPT.replace(" {{steps.x}}", ""))
        for words in (
            ("render", prompt, "--set", "message=hi", "--json"),
            ("render", "nowhere.md", "--json"),
            ("nonsense",),
            ("compare", self.file("s.csv", "arm,case\n"), "--json"),
        ):
            with self.subTest(words=words):
                self.assertEqual(self.as_a_process(*words), self.run_cli(*words))

    def test_render_refusals(self):
        prompt = self.file("p.md", PROMPT)
        self.assertIn("no such file", self.refused("render", "nowhere.md"))
        self.assertIn(
            "p2.md:5: ",
            self.refused(
                "render", self.file("p2.md", "---\nnomikon: prompt/1\n---\n\n::: boss\nx\n:::\n")
            ),
        )
        self.assertIn(
            "line 1, column 10",
            self.refused("render", self.file("p3.md", PROMPT.replace("{{message}}", "{{message"))),
        )
        self.assertIn("JSON", self.refused("render", prompt, "--case", self.file("c.json", "{")))
        self.assertIn(
            "flat", self.refused("render", prompt, "--case", self.file("d.json", '{"a": {"b": 1}}'))
        )
        self.assertIn("NAME=VALUE", self.refused("render", prompt, "--set", "x"))
        self.refused("render")

    def test_clauses_and_diff(self):
        a = self.file("a.md", PROMPT)
        b = self.file("b.md", PROMPT.replace("You read notes.", "You read short notes."))
        _, got = self.json_of("clauses", a)
        self.assertEqual(
            [c["text"] for c in got["clauses"]][:2], ["You read notes.", "Reply with e.g. JSON."]
        )
        for c in got["clauses"]:
            content = got["messages"][c["message"]]["content"]
            self.assertEqual(content[c["start"] : c["end"]], c["text"])
        _, got = self.json_of("diff", a, b)
        self.assertEqual([x["kind"] for x in got["amendments"]], ["amend"])
        self.assertEqual(
            got["amendments"][0]["after"], {"number": 1, "text": "You read short notes."}
        )

    def test_score(self):
        card = self.file(
            "s.yaml",
            "nomikon: scorecard/1\nmeasures:\n- {measure: exact-match}\n"
            "- {measure: length, unit: words, max: 2, weight: 3}\n",
        )
        outputs = self.file(
            "o.jsonl",
            "\n".join(
                [
                    '{"case": "1", "output": "yes", "reference": "yes"}',
                    '{"case": "2", "output": "yes it is", "reference": "yes"}',
                    "",
                    '{"case": "3", "output": "yes"}',
                    '{"case": "4", "output": "ye", "reference": "ye", "finish_reason": "length"}',
                ]
            ),
        )
        status, got = self.json_of("score", "--scorecard", card, "--outputs", outputs)
        totals = [r["score"] for r in got["scores"] if r["measure"] == "total"]
        self.assertEqual((status, totals), (0, [1.0, 0.0, None, 0.0]))
        self.assertEqual([r["row"] for r in got["scores"]], [0] * 3 + [1] * 3 + [2] * 3 + [3] * 3)
        bad = self.file("bad.jsonl", '{"output": "x"}\n{"output": 5}\n')
        self.assertIn("bad.jsonl:2:", self.refused("score", "--scorecard", card, "--outputs", bad))
        worse = self.file("w.yaml", "nomikon: scorecard/1\nmeasures:\n- {measure: nope}\n")
        self.assertIn(
            "unknown measure", self.refused("score", "--scorecard", worse, "--outputs", outputs)
        )

    def test_pairs(self):
        table = (
            "left,right,outcome,case\n" + "a,b,left,1\nb,a,right,2\na,b,right,3\nb,a,tie,4\n" * 3
        )
        status, got = self.json_of("pairs", self.file("p.csv", table))
        self.assertEqual((status, [i["item"] for i in got["items"]]), (0, ["a", "b"]))
        self.assertAlmostEqual(sum(i["strength"] for i in got["items"]), 0.0)
        self.assertGreater(got["items"][0]["strength"], 0)
        self.assertIsNotNone(got["side_bias"])
        for text, words in (
            ("left,right\na,b\n", "no column outcome"),
            ("left,right,outcome\na,b,both\n", "x.csv:2"),
            ("left,right,outcome\na,a,tie\n", "itself"),
            ("left,right,outcome\n", "no pairs"),
        ):
            with self.subTest(text=text):
                self.assertIn(words, self.refused("pairs", self.file("x.csv", text)))

    def test_agree(self):
        """Cohen (1960): 20 yes-yes, 5 yes-no, 10 no-yes, 15 no-no give a kappa of 0.4."""
        cells = [("y", "y")] * 20 + [("y", "n")] * 5 + [("n", "y")] * 10 + [("n", "n")] * 15
        rows = [f"{i},A,{a}\n{i},B,{b}" for i, (a, b) in enumerate(cells)]
        table = self.file("r.csv", "unit,reader,value\n" + "\n".join(rows) + "\n")
        status, got = self.json_of("agree", table, "--scale", "nominal")
        self.assertAlmostEqual(got["kappa"][0]["kappa"], 0.4)
        self.assertLess(got["low"], got["alpha"])
        same = self.file("s.csv", "unit,reader,value\n1,A,y\n1,B,y\n2,A,y\n2,B,y\n")
        status, got = self.json_of("agree", same, "--scale", "nominal")
        self.assertEqual((status, got["alpha"]), (0, None))
        self.assertIn("the same", got["why_null"])
        self.assertIn("number", self.refused("agree", same, "--scale", "interval"))

    def test_power(self):
        """By hand: differences 1, 0, 1, 0 have s 0.5774; (2.8016 · 0.5774 ÷ 0.2)² = 65.4."""
        table = "arm,case,score\n" + "".join(f"a,{i},{1 - i % 2}\nb,{i},0\n" for i in range(4))
        scores = self.file("s.csv", table)
        status, got = self.json_of("power", scores, "--a", "a", "--b", "b", "--difference", "0.2")
        self.assertEqual((status, got["cases_needed"]), (0, 66))
        self.assertAlmostEqual(got["smallest_difference"], 2.801585 * 0.577350 / 2, places=4)
        for more in (("--a", "z", "--b", "b"), ("--a", "a", "--b", "b", "--difference", "-1")):
            asked = [*more, *([] if "--difference" in more else ["--difference", "0.1"])]
            with self.subTest(asked=asked):
                self.refused("power", scores, *asked)

    def test_effects(self):
        """Additive scores: the components are the variances that made them."""
        rows = ["version,model,settings,case,repeat,score"]
        for v, high in (("v1", 0.0), ("v2", 0.4)):
            for m, more in (("m1", 0.0), ("m2", 0.1)):
                rows += [f"{v},{m},T 0,c{c},0,{high + more + c / 20:.3f}" for c in range(5)]
        scores = self.file("e.csv", "\n".join(rows))
        status, got = self.json_of("effects", scores)
        shares = {s["source"]: s for s in got["shares"]}
        self.assertEqual((status, got["n_cases"], got["why_null"]), (0, 5, None))
        self.assertAlmostEqual(shares["version"]["variance"], 0.08)
        self.assertAlmostEqual(sum(s["share"] for s in got["shares"]), 1)
        effects = {(e["factor"], e["level"]): e["effect"] for e in got["effects"]}
        self.assertAlmostEqual(effects["version", "v2"], 0.2)
        part = self.file("p.csv", "\n".join(rows[:-5]))
        self.assertIn("no full crossing", self.json_of("effects", part)[1]["why_null"])
        for bad in ("v1,m1,s,c,x,1", "v1,m1,s,c,0,7"):
            self.refused("effects", self.file("b.csv", f"{rows[0]}\n{bad}"))

    def test_culprits(self):
        text = "---\nnomikon: prompt/1\n---\n::: system\n{}\n:::\n"
        old = self.file("a.md", text.format("You sort bells.\nUse one word."))
        new = self.file("b.md", text.format("You sort bells.\nUse two words.\nNever guess."))
        status, got = self.json_of("diff", old, new)
        ids = [x["id"] for x in got["amendments"]]
        effects = dict(zip(ids, (0.3, -0.1, 0.05), strict=True))
        rows = []
        for n in range(4):
            for taken in itertools.combinations(reversed(ids), n):
                worth = 0.2 + sum(effects[i] for i in taken)
                rows += [
                    f"{'+'.join(taken)},c{c},{r},{worth:.2f}" for c in range(4) for r in (0, 1)
                ]
        scores = self.file("s.csv", "\n".join(["subset,case,repeat,score", *rows]))
        status, got = self.json_of("culprits", old, new, "--scores", scores)
        told = {s["amendment"]: round(s["share"], 6) for s in got["shares"]}
        self.assertEqual((status, got["how"], got["n_cases"]), (0, "exact", 4))
        self.assertEqual(told, effects)
        self.assertAlmostEqual(got["difference"], 0.25)
        for bad in ("x,c0,0,1", f"{ids[0]},c0,0,7", f"{ids[0]},c0,0,much"):
            file = self.file("bad.csv", f"subset,case,repeat,score\n{bad}")
            self.refused("culprits", old, new, "--scores", file)
        self.refused("culprits", old, old, "--scores", scores)

    def test_compare(self):
        rows = ["arm,case,repeat,score"]
        rows += [f"a,c{i},0,{1 if i < 9 else 0}" for i in range(12)]
        rows += [f"b,c{i},0,{0 if i < 9 else 1}" for i in range(12)] + ["b,c99,0,"]
        scores = self.file("s.csv", "\n".join(rows))
        status, got = self.json_of("compare", scores, "--against", "b")
        pair = got["comparisons"][0]
        self.assertEqual((status, pair["wins"], pair["losses"], pair["n_cases"]), (0, 9, 3, 12))
        # SciPy: binomtest(9, 12).pvalue, which is McNemar's exact test.
        self.assertAlmostEqual(pair["p"], 0.14599609375)
        self.assertEqual(
            set(got["arms"][0]) - {"why_null"},
            {
                *("arm", "n_cases", "n_missing", "mean", "low", "high", "came_first"),
                *("n_sources", "effective_cases", "n_lost", "unseen_loss"),
            },
        )
        self.assertEqual((pair["level_used"], pair["n_sources"]), (0.95, None))
        self.assertEqual(got["arms"][1]["n_missing"], 1)
        self.assertEqual(self.json_of("compare", scores, "--against", "b"), (status, got))
        talks = [f"{r},talk {i % 12 // 2}" for i, r in enumerate(rows[1:25])]
        related = self.file("t.csv", "\n".join(["arm,case,repeat,score,source", *talks]))
        found = self.json_of("compare", related, "--against", "b", "--family", "pairs")[1]
        # Four sources won by 2, one even, one lost by 2: 12 of 32 signs are as far from zero.
        self.assertAlmostEqual(found["comparisons"][0]["p"], 12 / 32)
        self.assertEqual(found["comparisons"][0]["n_sources"], 6)
        self.assertIn("before and", self.refused("compare", self.file("u.csv", "\n".join(
            ["arm,case,score,source", "a,c1,1,x", "b,c1,0,y"]))))  # fmt: skip
        for text, words in [
            ("arm,case,score,scorecard\na,c,1,1\na,d,1,2", "two scorecards"),
            ("arm,case,repeat,score\na,c,0,1.5", ":2:"),
            ("arm,case,repeat,score\na,c,x,1", "repeat"),
            ("arm,case,score\na,c,NaN", "between 0 and 1"),
            ("arm,case\na,c", "no column score"),
            ("", "no scores"),
            ("arm,case,repeat,score\na,c,0", "fields"),
        ]:
            with self.subTest(text=text):
                self.assertIn(words, self.refused("compare", self.file("x.csv", text)))
        self.assertIn("no arm", self.refused("compare", scores, "--against", "z"))
        self.assertIn("--seed", self.refused("compare", scores, "--seed", "-1"))


class RepliesTest(Commands):
    """What models really send, from the command line."""

    VERSION = "---\nnomikon: prompt/1\nname: Sorting\n---\n::: system\nSort letters.\nBe brief.\n:::\n\n::: user\nLetter: {{letter}}\n:::\n"

    def reply(self, role, text, *options):
        status, out, err = self.run_cli(
            "reply", role, self.file("reply.txt", text), "--json", *options
        )
        self.assertEqual(err, "")
        return status, json.loads(out)

    def test_a_reply_is_read_against_the_version(self):
        prompt = self.file("prompt.md", self.VERSION)
        text = 'Sure:\n```json\n{"amendments": [{"kind": "replace", "clause": "§2", "text": "Be very brief."}, {"kind": "delete", "clause": 9}]}\n```'
        status, told = self.reply("amendments", text, "--prompt", prompt, "--columns", "letter")
        self.assertEqual((status, told["items"]), (0, 1))
        self.assertEqual((told["value"][0]["kind"], told["value"][0]["clause"]), ("amend", 2))
        self.assertEqual(told["refused"][0]["item"], 2)
        self.assertIn("a reason was missing", told["repaired"])
        self.assertEqual(len(told["passed_over"]), 1)

    def test_what_cannot_be_read_ends_with_1_and_says_why(self):
        status, told = self.reply(
            "cases", '{"cases": [{"inputs": {"letter": "x', "--columns", "letter"
        )
        self.assertEqual((status, told["items"], told["value"]), (1, 0, None))
        self.assertIn("cut", told["refused"][0]["why"])
        status, told = self.reply("questions", '{"questions": []}')
        self.assertEqual((status, told["items"]), (1, 0))

    def test_judges_with_and_without_a_scorecard_and_a_played_user(self):
        judged = '{"calm": {"level": "3/3", "reason": "x"}}'
        status, told = self.reply("rubric-judge", judged)
        self.assertEqual(
            (status, told["value"]), (0, [{"name": "calm", "level": 3, "reason": "x"}])
        )
        card = self.file(
            "card.yaml",
            "nomikon: scorecard/1\nmeasures:\n- measure: rubric\n  model: m\n  criteria:\n"
            "  - name: calm\n    levels: [heated, calm]\n",
        )
        status, told = self.reply("rubric-judge", judged, "--scorecard", card)
        self.assertEqual(status, 1)
        self.assertIn("allowed is 1 to 2", told["refused"][0]["why"])
        status, told = self.reply("user", "**END**")
        self.assertEqual((status, told["ended"]), (0, True))
        status, out, err = self.run_cli(
            "reply",
            "rubric-judge",
            self.file("r", judged),
            "--scorecard",
            card,
            "--measure",
            "other",
        )
        self.assertEqual((status, out), (2, ""))
        self.assertIn("there is no rubric 'other'", err)

    def test_outcomes_in_two_grades(self):
        rows = [
            {"output": "The boat leaves at nine."},
            {"output": "Half a", "finish_reason": "length"},
            {"output": "I cannot assist with this request.", "finish_reason": "stop"},
            {"output": "<think>hm</think>"},
        ]
        lines = "\n".join(json.dumps(r) for r in rows)
        status, out, _ = self.run_cli("outcome", self.file("o.jsonl", lines), "--json")
        told = json.loads(out)["outcomes"]
        self.assertEqual(status, 0)
        self.assertEqual([r["outcome"] for r in told], ["answered", "cut", "declined", "empty"])
        self.assertEqual([r["row"] for r in told], [1, 2, 3, 4])
        self.assertTrue(all(r["sure"] for r in told))
        status, out, err = self.run_cli("outcome", self.file("o.jsonl", '{"text": "x"}'), "--json")
        self.assertEqual((status, out), (2, ""))
        self.assertIn('needs a text "output"', err)
